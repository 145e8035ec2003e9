// Quotes, holds and verifies with types that openapi-typescript made of the API's description: schema.d.ts, which is not
// kept. The token is verified with jose and the published keys. It prints what the shop said.
import createClient from "openapi-fetch";
import { createRemoteJWKSet, jwtVerify, errors } from "jose";
import type { paths, components } from "./schema.js";

declare const process: { argv: string[] };
const [, , baseUrl, key] = process.argv;
const client = createClient<paths>({ baseUrl, headers: { Authorization: `Bearer ${key}` } });

const request: components["schemas"]["QuoteRequest"] = {
  to: { country: "FI", postcode: "21100" },
  lines: [{ sku: "TOWEL-70", quantity: 2 }],
  hold: "PT5M",
  checkout: true,
};
const { data, error } = await client.POST("/api/v1/quotes", { body: request });
if (!data) throw new Error(error?.detail);
for (const o of data.options) console.log(o.method, o.kind === "delivery", o.total, data.currency);

const token = data.quote!.token;
const keys = createRemoteJWKSet(new URL("/.well-known/jwks.json", baseUrl));
const { payload, protectedHeader } = await jwtVerify(token, keys, { typ: "diadrom-quote+jwt", algorithms: ["EdDSA"] });
const options = payload.options as components["schemas"]["HeldOption"][];
console.log("jose", protectedHeader.alg, options[0].total === data.options[0].total, payload.jti === data.quote!.id);
try {
  const [head, , signature] = token.split(".");
  const forged = btoa(JSON.stringify({ ...payload, exp: payload.exp! + 1e6 })).replace(/=+$/, "");
  await jwtVerify(`${head}.${forged.replace(/\+/g, "-").replace(/\//g, "_")}.${signature}`, keys);
  console.log("forged was taken");
} catch (e) {
  console.log("forged", e instanceof errors.JWSSignatureVerificationFailed);
}
try {
  await jwtVerify(token, keys, { currentDate: new Date((payload.exp! + 1) * 1000) });
  console.log("expired was taken");
} catch (e) {
  console.log("expired", e instanceof errors.JWTExpired);
}

const verdict = await client.POST("/api/v1/quotes/verify", {
  body: { token, request, method: data.options[0].method, total: data.options[0].total },
});
console.log("held", verdict.data?.valid);
const batch = await client.POST("/api/v1/quotes/batch", { body: [request, { to: { country: "XX" } }] });
for (const item of batch.data ?? []) console.log(item.status, item.problem?.faults?.[0]?.code ?? "answered");
