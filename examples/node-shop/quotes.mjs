// Verifies a quote that Diadrom holds, with the public keys of the shop and nothing but Node's own modules.
import { createHash, createPublicKey, verify } from "node:crypto";

// canonical is JSON by the JSON Canonicalization Scheme (RFC 8785): members sorted, no spaces, numbers and texts as
// JSON.stringify writes them.
export function canonical(value) {
  if (Array.isArray(value)) return "[" + value.map(canonical).join(",") + "]";
  if (value === null || typeof value !== "object") return JSON.stringify(value);
  const members = Object.keys(value).sort();
  return "{" + members.map((name) => JSON.stringify(name) + ":" + canonical(value[name])).join(",") + "}";
}

const empty = (v) =>
  v === undefined || v === null || (typeof v === "string" ? !v.trim() : typeof v === "object" && !Object.keys(v).length);
const pointer = (name) => "/" + String(name).replaceAll("~", "~0").replaceAll("/", "~1");

// differences gives JSON Pointers to what a request asks that the order does not say, or says otherwise: whatever a
// buyer changed in it or added to it (a point on the map, a price beside a sku, a day of last year). The order is what the
// shop itself knows: its lines, the address in to, and coupons, customer, group, point and at where it has them.
export function differences(request, order) {
  const found = [];
  const compare = (at, a, b, lenient) => {
    if (lenient && empty(a) && empty(b)) return;
    const both = (is) => is(a) && is(b);
    if (both(Array.isArray)) {
      for (let i = 0; i < Math.max(a.length, b.length); i++) {
        if (i >= a.length || i >= b.length) return void found.push(at + "/" + i);
        compare(at + "/" + i, a[i], b[i], lenient);
      }
    } else if (both((v) => v !== null && typeof v === "object" && !Array.isArray(v))) {
      for (const name of new Set([...Object.keys(a), ...Object.keys(b)])) {
        if (!lenient && Object.hasOwn(a, name) !== Object.hasOwn(b, name)) found.push(at + pointer(name));
        else compare(at + pointer(name), a[name], b[name], lenient);
      }
    } else {
      const text = (v) => (typeof v === "number" ? String(v) : typeof v !== "string" ? "\0" + canonical(v ?? null) : lenient ? v.trim() : v);
      if (text(a) !== text(b)) found.push(at);
    }
  };
  const known = ["lines", "to", "coupons", "customer", "group", "point", "at"];
  const harmless = ["checkout", "language", "hold", "parcels", "costs"]; // how it is answered, not what is asked
  for (const name of new Set([...known, ...Object.keys(request)])) {
    if (harmless.includes(name) || (name === "point" && empty(request.point))) continue;
    compare(pointer(name), request[name], known.includes(name) ? order[name] : undefined, name !== "lines");
  }
  return found;
}

const decoded = (part) => Buffer.from(part, "base64url");

export class Quotes {
  #server;
  #keys = new Map();
  #asked = 0;

  constructor(server) {
    this.#server = server;
  }

  // A key that is not known yet is asked for, but not more often than every ten seconds.
  async #key(id) {
    if (!this.#keys.has(id) && Date.now() - this.#asked > 10_000) {
      this.#asked = Date.now();
      const got = await fetch(this.#server + "/.well-known/jwks.json");
      if (!got.ok) throw new Error(`the keys of ${this.#server} cannot be read: ${got.status}`);
      this.#keys.clear();
      for (const jwk of (await got.json()).keys) this.#keys.set(jwk.kid, createPublicKey({ key: jwk, format: "jwk" }));
    }
    return this.#keys.get(id);
  }

  // check gives the option that was quoted for an order, or says why the quote does not hold: delivery is what the page sent,
  // order is what the shop itself knows, as differences takes it.
  async check(delivery, order, now = Date.now()) {
    const { request, method, service = "", total } = delivery;
    const { token } = delivery.quote;
    let header, claims;
    try {
      const parts = token.split(".");
      header = JSON.parse(decoded(parts[0]));
      const key = header.typ === "diadrom-quote+jwt" && header.alg === "EdDSA" ? await this.#key(header.kid) : undefined;
      if (parts.length !== 3 || !key || !verify(null, parts[0] + "." + parts[1], key, decoded(parts[2])))
        return { why: "forged" };
      claims = JSON.parse(decoded(parts[1]));
    } catch (error) {
      if (error instanceof SyntaxError || error instanceof TypeError) return { why: "forged" };
      throw error;
    }
    if (now / 1000 >= claims.exp) return { why: "expired" };
    const { hold, ...asked } = request;
    if (createHash("sha256").update(canonical(asked)).digest("hex") !== claims.request_sha256) return { why: "changed" };
    const option = claims.options.find((o) => o.method === method && (o.service || "") === service);
    if (!option) return { why: "not_offered" };
    if (option.total !== total) return { why: "changed" };
    const differs = differences(request, order);
    if (differs.length) return { why: "differs", differs };
    return { id: claims.jti, option, edition: claims.edition };
  }
}
