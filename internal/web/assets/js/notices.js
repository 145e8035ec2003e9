// What is sent along, and messages about exchanges that failed.

// The first cut-off is one by the clock of who types it.
document.addEventListener("htmx:configRequest", (event) => {
  if (event.detail.path === "/methods/dispatch")
    event.detail.parameters.browser_zone = Intl.DateTimeFormat().resolvedOptions().timeZone;
});

// A message about a failed exchange goes when the next one succeeds.
document.addEventListener("htmx:afterRequest", (event) => {
  const notice = document.getElementById("notice");
  if (notice && event.detail.successful) notice.replaceChildren();
});
document.addEventListener("htmx:sendError", () => {
  const notice = document.getElementById("notice");
  if (notice)
    notice.textContent =
      "The shop cannot be reached: this change is not saved. It is still in its field; " +
      "change it again when the shop is back.";
});
