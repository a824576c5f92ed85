// The sample shop's own script: the basket, and telling of an order. It knows nothing of the application but `uc`.
const basket = () => JSON.parse(sessionStorage.getItem("mill-basket") ?? "[]");
const keep = (items) => sessionStorage.setItem("mill-basket", JSON.stringify(items));

document.querySelector("[data-add]")?.addEventListener("click", (event) => {
  const { add, price, name } = event.currentTarget.dataset;
  const items = basket();
  const held = items.find((item) => item.sku === add);
  if (held) held.quantity += 1;
  else items.push({ sku: add, name, price: Number(price), quantity: 1 });
  keep(items);
  location.href = "/mill/basket";
});

const total = () => Math.round(basket().reduce((sum, item) => sum + item.price * item.quantity, 4.9) * 100) / 100;

const list = document.querySelector("[data-basket]");
if (list) {
  for (const item of basket()) list.append(Object.assign(document.createElement("li"), { textContent: `${item.quantity} × ${item.name}` }));
  document.querySelector("[data-total]").textContent = basket().length ? `${total().toFixed(2)} €, with 4.90 € for the post` : "Your basket is empty.";
}

if (location.pathname === "/mill/checkout/thanks" && basket().length) {
  window.uc?.order({ id: `FM-L${Date.now()}`, total: total(), currency: "EUR", items: basket(), shipping: 4.9 });
  keep([]);
}
