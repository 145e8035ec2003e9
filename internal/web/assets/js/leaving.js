// Leaving a page: a browser drops the requests of a page that is left, so what was typed is saved first.
import { textual } from "./fields.js";
import { underWay } from "./cells.js";
import { unsent } from "./swaps.js";

const requests = new Set(); // edits that are not answered
let failed = 0; // how many were refused, or not answered at all
document.addEventListener("htmx:beforeSend", ({ detail: { xhr, requestConfig } }) => {
  if (requestConfig.verb === "get") return;
  requests.add(xhr);
  xhr.addEventListener("loadend", () => {
    requests.delete(xhr);
    if (xhr.status === 0 || xhr.status >= 400) failed++;
  });
});
const saving = () => requests.size > 0 || underWay.size > 0;

const patience = 10_000; // milliseconds until it is said that the shop does not answer
const pause = () => new Promise((done) => setTimeout(done, 20));

const saySaving = () => {
  const saved = document.getElementById("saved");
  if (saved) saved.textContent = "Saving…";
};

// settled waits for the edits under way and tells whether all were taken. Nothing is waited for twice: what is asked
// for last is where the page goes.
let asked = 0;
const settled = async () => {
  const mine = ++asked,
    before = failed,
    since = Date.now();
  saySaving();
  document.addEventListener("htmx:oobAfterSwap", saySaving); // each answer brings the line anew
  while (saving() && Date.now() - since < patience) await pause();
  document.removeEventListener("htmx:oobAfterSwap", saySaving);
  if (mine !== asked) return false;
  const notice = document.getElementById("notice");
  if (saving()) {
    if (notice)
      notice.textContent =
        "The shop has not answered for 10 seconds: the last changes are not saved yet. " +
        "This page stays open. Try again in a moment.";
    return false;
  }
  if (failed === before) return true;
  const saved = document.getElementById("saved");
  if (saved && saved.textContent === "Saving…") saved.textContent = "Not saved";
  const slip = [...document.querySelectorAll("[aria-invalid=true]")].find((f) => f.checkVisibility());
  if (slip) slip.focus();
  if (notice && notice.textContent === "")
    notice.textContent =
      "This page stays open: a value was refused and is not saved. Correct it, or leave again without it.";
  return false;
};

// leave goes to another page once everything is saved.
export const leave = async (to) => {
  if (!saving() || (await settled())) location.assign(to);
};

document.addEventListener("click", (event) => {
  const link = event.target.closest && event.target.closest("a[href]");
  if (!link || !saving() || event.defaultPrevented || event.button !== 0) return;
  if (event.ctrlKey || event.metaKey || event.shiftKey || event.altKey) return;
  if ((link.target && link.target !== "_self") || link.origin !== location.origin) return;
  if (link.hash && link.pathname === location.pathname && link.search === location.search) return;
  event.preventDefault();
  leave(link.href);
});

// Forms that go to another page wait as well. Their own fields are sent with them.
const going = new WeakSet();
document.addEventListener("submit", async (event) => {
  const form = event.target;
  if (event.defaultPrevented) return;
  if (!saving()) {
    going.add(form);
    setTimeout(() => going.delete(form), 2000); // a download leaves the page where it is
    return;
  }
  event.preventDefault();
  const by = event.submitter;
  if ((await settled()) && form.isConnected) form.requestSubmit(by && by.isConnected ? by : undefined);
});

// What was typed and never sent is asked about when the window is closed, reloaded or goes back: not where it only asks
// for something, or tries something out.
const typed = new WeakSet();
document.addEventListener("input", (event) => event.isTrusted && typed.add(event.target), true);
const passing =
  "[data-passing] *, [hx-get], form[hx-get] *, form[method=get] *, form:not([method], [hx-post]) *, [type=password]";
const half = (f) => textual(f) && typed.has(f) && unsent(f) && !f.matches(passing) && !going.has(f.form);
window.addEventListener("beforeunload", (event) => {
  if (saving() || [...document.querySelectorAll("input, textarea")].some(half)) event.preventDefault();
});
