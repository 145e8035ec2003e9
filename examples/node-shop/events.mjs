// Hears what changes in Diadrom: a webhook, checked with Node alone as the Standard Webhooks text has it.
//
//   SECRET=whsec_… PORT=3001 node events.mjs
import { createHmac, timingSafeEqual } from "node:crypto";
import { createServer } from "node:http";
import { pathToFileURL } from "node:url";

// heard gives the event of a message, or null for one that Diadrom has not sent, or not within five minutes of now.
// headers are those of the request with names in lower case, body its text as it came.
export function heard(headers, body, secret, now = Date.now()) {
  const { "webhook-id": id, "webhook-timestamp": at, "webhook-signature": signatures } = headers;
  if (!id || !signatures || !(Math.abs(now / 1000 - Number(at)) < 300)) return null;
  const key = Buffer.from(secret.replace(/^whsec_/, ""), "base64");
  const wanted = createHmac("sha256", key).update(`${id}.${at}.${body}`).digest();
  const signed = signatures.split(" ").some((text) => {
    const [version, value] = text.split(",");
    const given = Buffer.from(value ?? "", "base64");
    return version === "v1" && given.length === wanted.length && timingSafeEqual(given, wanted);
  });
  return signed ? JSON.parse(body) : null;
}

const seen = new Set(); // ids: a message may come twice

if (import.meta.url === pathToFileURL(process.argv[1] ?? "").href) {
  createServer(async (request, response) => {
    let body = "";
    for await (const part of request) if ((body += part).length > 1_000_000) return response.writeHead(413).end();
    const event = request.method === "POST" ? heard(request.headers, body, process.env.SECRET ?? "") : null;
    if (!event) return response.writeHead(request.method === "POST" ? 401 : 200).end();
    response.writeHead(204).end(); // soon: what takes long is done afterwards
    if (seen.has(event.id)) return;
    seen.add(event.id);
    console.log(event.type, JSON.stringify(event.data));
  }).listen(Number(process.env.PORT || 3001), "127.0.0.1");
}
