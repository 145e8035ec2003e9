// A small shop: it knows its own prices, and takes an order only where its cart and its delivery are what was quoted.
//
//   DIADROM=http://127.0.0.1:8080 KEY=diadrom_pub_… PORT=3000 [AGREE_LATER=1] node server.mjs
import { createServer } from "node:http";
import { readFile } from "node:fs/promises";
import { Quotes } from "./quotes.mjs";

const diadrom = process.env.DIADROM || "http://127.0.0.1:8080";
const key = process.env.KEY || "";
// Whether orders are taken while Diadrom does not answer, with delivery to be agreed. Anybody may say so: see integrate.md.
const agreeLater = process.env.AGREE_LATER === "1";
const quotes = new Quotes(diadrom);

// In cents. What an order costs is never taken from the page.
const prices = { "TOWEL-70": 2900, "STONE-20": 3900 };
const taken = new Set(); // ids of quotes: each is taken once
const orders = [];
const cents = (text) => Number(text.replace(".", ""));

async function order(body) {
  const { cart, to, delivery } = JSON.parse(body);
  const lines = cart.filter((l) => l.quantity > 0).map(({ sku, quantity }) => ({ sku, quantity }));
  if (!lines.length || !lines.every((l) => Object.hasOwn(prices, l.sku) && Number.isInteger(l.quantity) && l.quantity <= 99))
    return [422, { message: "The basket has something that this shop does not sell." }];
  // The address that the parcel gets. A point on the map is not part of it: a buyer's page does not say where its door is.
  const address = {};
  for (const name of ["country", "region", "city", "postcode", "street"])
    if (typeof to[name] === "string" && to[name].trim()) address[name] = to[name].trim();
  const goods = lines.reduce((n, l) => n + prices[l.sku] * l.quantity, 0);
  if (agreeLater && delivery.unavailable === true) {
    // Diadrom did not answer the page: the shop agrees on delivery with the buyer.
    const placed = { number: orders.length + 1, lines, to: address, delivery: "to be agreed", total: (goods / 100).toFixed(2) };
    orders.push(placed);
    return [201, placed];
  }
  const held = await quotes.check(delivery, { lines, to: address, point: delivery.point });
  if (held.why === "differs")
    return [409, { message: "The basket or the address has changed since delivery was quoted.", why: held.why, differs: held.differs }];
  if (held.why) return [409, { message: "This delivery quote does not hold: choose delivery again.", why: held.why }];
  if (taken.has(held.id)) return [409, { message: "This quote was used for another order.", why: "used" }];
  taken.add(held.id);
  const placed = {
    number: orders.length + 1,
    lines,
    to: address,
    method: held.option.method,
    delivery: held.option.total,
    total: ((goods + cents(held.option.total)) / 100).toFixed(2),
  };
  orders.push(placed);
  return [201, placed];
}

const files = { "/": ["public/index.html", "text/html; charset=utf-8"], "/shop.js": ["public/shop.js", "text/javascript"] };

const server = createServer(async (request, response) => {
  const answer = (status, type, body) => response.writeHead(status, { "Content-Type": type }).end(body);
  try {
    const path = new URL(request.url, "http://shop").pathname;
    if (request.method === "POST" && path === "/orders") {
      let body = "";
      for await (const part of request) if ((body += part).length > 100_000) return answer(413, "text/plain", "too much");
      const [status, said] = await order(body);
      return answer(status, "application/json", JSON.stringify(said));
    }
    if (request.method === "GET" && path === "/config.json")
      return answer(200, "application/json", JSON.stringify({ diadrom, key, prices, agreeLater }));
    if (request.method !== "GET" || !files[path]) return answer(404, "text/plain", "not found");
    const [name, type] = files[path];
    answer(200, type, await readFile(new URL(name, import.meta.url)));
  } catch (error) {
    const theirs = error instanceof SyntaxError || error instanceof TypeError;
    if (!theirs) console.error(error);
    answer(theirs ? 400 : 502, "application/json", JSON.stringify({ message: theirs ? "not an order" : "try again" }));
  }
});
server.listen(Number(process.env.PORT || 3000), "127.0.0.1", () => {
  console.log(`The shop is open at http://127.0.0.1:${server.address().port}/`);
});
