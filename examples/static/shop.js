// A basket in the browser. Sums are counted in cents, as whole numbers, so that nothing is rounded.
const goods = [
  { sku: "TOWEL-70", name: "Linen towel", price: 2900 },
  { sku: "STONE-20", name: "Sauna stones, 20 kg", price: 3900 },
];
const cart = new Map([["TOWEL-70", 2]]);

// The element comes from Diadrom itself.
const script = document.createElement("script");
script.src = window.shop.diadrom + "/widget.js";
document.head.append(script);

const delivery = document.getElementById("delivery");
delivery.setAttribute("key", window.shop.key);

const money = (cents) => new Intl.NumberFormat("en", { style: "currency", currency: "EUR" }).format(cents / 100);
const cents = (text) => Number(text.replace(".", ""));
const lines = () => [...cart].filter(([, n]) => n > 0).map(([sku, quantity]) => ({ sku, quantity }));

function total() {
  const sum = goods.reduce((n, g) => n + g.price * (cart.get(g.sku) || 0), 0);
  const chosen = delivery.choice;
  document.getElementById("total").textContent = chosen
    ? money(sum + cents(chosen.total))
    : money(sum) + " and delivery";
}

function changed() {
  delivery.setAttribute("lines", JSON.stringify(lines()));
  total();
}

for (const g of goods) {
  const row = document.getElementById("cart").insertRow();
  const input = document.createElement("input");
  Object.assign(input, { type: "number", min: 0, max: 99, value: cart.get(g.sku) || 0, id: g.sku });
  input.setAttribute("aria-label", "Quantity of " + g.name);
  const sum = document.createElement("span");
  const show = () => (sum.textContent = money(g.price * (cart.get(g.sku) || 0)));
  input.addEventListener("input", () => {
    cart.set(g.sku, Math.max(0, Math.min(99, Math.trunc(Number(input.value) || 0))));
    show();
    changed();
  });
  row.insertCell().textContent = g.name;
  row.insertCell().textContent = money(g.price);
  row.insertCell().append(input);
  row.insertCell().append(sum);
  show();
}
delivery.addEventListener("diadrom-choice", total);
changed();

document.getElementById("order").addEventListener("submit", (event) => {
  event.preventDefault();
  const order = { cart: lines(), to: delivery.address, delivery: delivery.choice };
  document.getElementById("sent").textContent = JSON.stringify(order, null, 2);
  document.getElementById("placed").hidden = false;
});
