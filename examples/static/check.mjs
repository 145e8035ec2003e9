// Checks an order that the page has sent, before anything is packed: on whatever machine orders are read.
//
//   node check.mjs http://127.0.0.1:8080 < order.json
//
// It says what delivery costs, or why the order is refused, and exits with 1 then.
import { Quotes } from "../node-shop/quotes.mjs";

let text = "";
for await (const part of process.stdin) text += part;
let said;
try {
  const { cart, to, delivery } = JSON.parse(text);
  const lines = cart.map(({ sku, quantity }) => ({ sku, quantity }));
  const address = Object.fromEntries(["country", "region", "city", "postcode", "street"].map((name) => [name, to[name] || ""]));
  said = await new Quotes(process.argv[2] || "http://127.0.0.1:8080").check(delivery, { lines, to: address, point: delivery.point });
} catch (error) {
  if (!(error instanceof SyntaxError || error instanceof TypeError)) throw error;
  said = { why: "not an order" };
}
if (said.why) {
  console.log(["Refused: " + said.why, ...(said.differs || [])].join(" "));
  process.exitCode = 1;
} else {
  console.log(`Take it once: quote ${said.id}, ${said.option.method} for ${said.option.total}`);
}
