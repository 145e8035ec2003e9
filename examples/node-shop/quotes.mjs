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

  // check gives the option that was quoted for a request, or says why the quote does not hold.
  async check({ token, request, method, service = "", total }, now = Date.now()) {
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
    return { id: claims.jti, option, edition: claims.edition };
  }
}
