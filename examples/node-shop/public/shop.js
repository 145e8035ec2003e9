const delivery = document.getElementById("delivery");
const inputs = [...document.querySelectorAll("#order input")];
const cart = () => inputs.map((i) => ({ sku: i.id, quantity: Math.trunc(Number(i.value)) || 0 })).filter((l) => l.quantity > 0);
const changed = () => delivery.setAttribute("lines", JSON.stringify(cart()));
inputs.forEach((i) => i.addEventListener("input", changed));

fetch("config.json")
  .then((got) => got.json())
  .then(({ diadrom, key, agreeLater }) => {
    delivery.setAttribute("key", key);
    if (agreeLater) delivery.setAttribute("when-unavailable", "allow");
    changed();
    const script = document.createElement("script");
    script.src = diadrom + "/widget.js";
    document.head.append(script);
  });

document.getElementById("order").addEventListener("submit", async (event) => {
  event.preventDefault();
  const got = await fetch("orders", {
    method: "POST",
    headers: { "Content-Type": "application/json" },
    body: JSON.stringify({ cart: cart(), to: delivery.address, delivery: delivery.choice }),
  });
  const answer = await got.json();
  document.getElementById("said").textContent = got.ok
    ? `Order ${answer.number} is placed: €${answer.total} with ${answer.method || "delivery to be agreed"}.`
    : answer.message;
  if (!got.ok && answer.why) delivery.requote();
});
