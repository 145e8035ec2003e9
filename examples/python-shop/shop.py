"""A small shop in Python, with nothing but its standard library. Diadrom's server verifies the quotes.

    DIADROM=http://127.0.0.1:8080 KEY=diadrom_pub_… SERVER_KEY=diadrom_… PORT=3000 python3 shop.py

KEY is a key for pages, which everybody may read; SERVER_KEY is a key for servers, which stays here.
"""

import json
import os
import sys
import threading
import urllib.error
import urllib.request
from decimal import Decimal
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

DIADROM = os.environ.get("DIADROM", "http://127.0.0.1:8080")
KEY = os.environ.get("KEY", "")
SERVER_KEY = os.environ.get("SERVER_KEY", "")
PAGE = Path(__file__).resolve().parent.parent / "node-shop" / "public"  # the same page as the shop in Node

# What an order costs is never taken from the page.
PRICES = {"TOWEL-70": Decimal("29.00"), "STONE-20": Decimal("39.00")}
orders = []
taken = set()  # ids of quotes: each is taken once
turn = threading.Lock()


def verify(delivery, lines, to):
    """Asks Diadrom whether it holds what the page says, for these lines and this address."""
    claim = {name: delivery.get(name) for name in ("request", "method", "service", "total") if delivery.get(name)}
    claim.update(token=delivery["quote"]["token"], lines=lines, to=to)
    if delivery.get("point"):
        claim["point"] = delivery["point"]
    asked = urllib.request.Request(
        DIADROM + "/api/v1/quotes/verify",
        data=json.dumps(claim).encode(),
        headers={"Authorization": "Bearer " + SERVER_KEY, "Content-Type": "application/json"},
    )
    try:
        with urllib.request.urlopen(asked, timeout=8) as got:
            return json.load(got)
    except urllib.error.HTTPError as error:
        if error.code in (400, 422):  # the page sent what was never a quote
            return {"valid": False, "why": "changed"}
        raise


def order(body):
    lines = [{"sku": l["sku"], "quantity": l["quantity"]} for l in body["cart"] if l["quantity"]]
    if not lines or not all(l["sku"] in PRICES and type(l["quantity"]) is int and 0 < l["quantity"] < 100 for l in lines):
        return 422, {"message": "The basket has something that this shop does not sell."}
    # The address that the parcel gets. A point on the map is not part of it.
    fields = ("country", "region", "city", "postcode", "street")
    to = {name: body["to"][name].strip() for name in fields if body["to"].get(name, "").strip()}
    verdict = verify(body["delivery"], lines, to)
    if not verdict["valid"]:
        return 409, {"message": "This delivery quote does not hold: choose delivery again.", "why": verdict["why"],
                     "differs": verdict.get("differs", [])}
    with turn:
        if verdict["id"] in taken:
            return 409, {"message": "This quote was used for another order.", "why": "used"}
        taken.add(verdict["id"])
        option = verdict["option"]
        total = sum(PRICES[l["sku"]] * l["quantity"] for l in lines) + Decimal(option["total"])
        orders.append({"number": len(orders) + 1, "lines": lines, "to": to, "method": option["method"],
                       "delivery": option["total"], "total": f"{total:.2f}"})
        return 201, orders[-1]


class Shop(BaseHTTPRequestHandler):
    def answer(self, status, kind, body):
        self.send_response(status)
        self.send_header("Content-Type", kind)
        self.send_header("Content-Length", str(len(body)))
        self.end_headers()
        self.wfile.write(body)

    def do_GET(self):
        files = {"/": ("index.html", "text/html; charset=utf-8"), "/shop.js": ("shop.js", "text/javascript")}
        if self.path == "/config.json":
            self.answer(200, "application/json", json.dumps({"diadrom": DIADROM, "key": KEY}).encode())
        elif self.path in files:
            name, kind = files[self.path]
            self.answer(200, kind, (PAGE / name).read_bytes())
        else:
            self.answer(404, "text/plain", b"not found")

    def do_POST(self):
        length = int(self.headers.get("Content-Length") or 0)
        if self.path != "/orders" or length > 100_000:
            return self.answer(404 if self.path != "/orders" else 413, "text/plain", b"no order")
        try:
            status, said = order(json.loads(self.rfile.read(length)))
        except (ValueError, KeyError, TypeError, AttributeError):
            status, said = 400, {"message": "not an order"}
        except OSError as error:
            print(error, file=sys.stderr)
            status, said = 502, {"message": "try again"}
        self.answer(status, "application/json", json.dumps(said).encode())

    def log_message(self, *_):
        pass


if __name__ == "__main__":
    with ThreadingHTTPServer(("127.0.0.1", int(os.environ.get("PORT", "3000"))), Shop) as server:
        print(f"The shop is open at http://127.0.0.1:{server.server_port}/", flush=True)
        server.serve_forever()
