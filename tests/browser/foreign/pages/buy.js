// A shop's own script, with the names that shops use elsewhere.
document.getElementById("buy").addEventListener("click", function () {
  uc.order({ id: 4711, total: "49.50", currency: "eur", items: [{ id: "lamp", qty: "2", unit_price: 24.75, colour: "green" }] });
});
