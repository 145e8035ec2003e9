// What is sent along, and exchanges that failed.
import { textual } from "./fields.js";
import { notSent, unsent } from "./swaps.js";

// The first cut-off is one by the clock of who types it.
document.addEventListener("htmx:configRequest", (event) => {
  if (event.detail.path === "/methods/dispatch")
    event.detail.parameters.browser_zone = Intl.DateTimeFormat().resolvedOptions().timeZone;
});

// A message about a failed exchange goes when the next one succeeds.
document.addEventListener("htmx:afterRequest", (event) => {
  const notice = document.getElementById("notice");
  if (!event.detail.successful) return;
  if (notice) notice.replaceChildren();
  const { elt } = event.detail;
  for (const f of elt.matches("form") ? elt.elements : [elt]) f.classList.remove("not-sent");
});

// An edit that the shop did not get stays where it was typed. That of a field is sent again by itself.
const again = new Set(); // ids of fields
const every = 5000; // milliseconds between two tries
let waiting = 0;
const sendAgain = () => {
  clearTimeout(waiting);
  const ids = [...again];
  again.clear();
  for (const id of ids) {
    const f = document.getElementById(id);
    if (f && unsent(f)) f.dispatchEvent(new Event("change", { bubbles: true }));
  }
};
window.addEventListener("online", sendAgain);
document.addEventListener("htmx:sendError", ({ detail: { elt, requestConfig } }) => {
  const notice = document.getElementById("notice");
  if (!notice) return;
  if (requestConfig.verb === "get") {
    notice.textContent =
      "The shop cannot be reached: this page may be out of date. Reload it when the shop is back.";
    return;
  }
  notSent(elt);
  if (elt.id && textual(elt)) {
    again.add(elt.id);
    clearTimeout(waiting);
    waiting = setTimeout(sendAgain, every);
    notice.textContent =
      "The shop cannot be reached: the last change is not saved. It stays in its field and is sent again.";
  } else
    notice.textContent =
      "The shop cannot be reached: the last change is not saved. What you typed is still here. " +
      "Send it again when the shop is back.";
});
