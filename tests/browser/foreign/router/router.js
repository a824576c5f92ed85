// A handbook's router: first the address, then the title, then what is shown.
(function () {
  var titles = { "/start": "Start", "/install": "Install", "/slow": "Slow", "/same": "Start" };
  var delays = { "/install": 40, "/slow": 900 };
  function show(path) {
    setTimeout(function () {
      document.title = (titles[path] || "Start") + " · Handbook";
      setTimeout(function () {
        document.querySelector("main").textContent = titles[path] || "Start";
      }, 20);
    }, delays[path] || 0);
  }
  document.addEventListener("click", function (event) {
    var link = event.target.closest("a");
    if (!link || event.ctrlKey || event.metaKey) return;
    event.preventDefault();
    history.pushState({}, "", link.getAttribute("href"));
    show(location.pathname);
  });
  window.addEventListener("popstate", function () {
    show(location.pathname);
  });
  document.getElementById("filter").addEventListener("input", function (event) {
    var url = new URL(location.href);
    if (event.target.value) url.searchParams.set("q", event.target.value);
    else url.searchParams.delete("q");
    history.replaceState(history.state, "", url);
  });
  // What campaigns put into the address is taken out of it.
  addEventListener("load", function () {
    var url = new URL(location.href);
    if (url.searchParams.has("utm_source")) {
      ["utm_source", "utm_medium", "utm_campaign"].forEach(function (key) {
        url.searchParams.delete(key);
      });
      history.replaceState(history.state, "", url);
    }
  });
})();
