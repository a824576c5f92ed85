// A board whose pages stand behind the hash.
addEventListener("hashchange", function () {
  if (location.hash.indexOf("#/") === 0) document.title = "Board " + (location.hash.slice(2) || "home");
});
