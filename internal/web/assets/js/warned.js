// The page of warnings with the keyboard: arrows go through them, m mends the one that has the focus, Enter puts its
// cart into the Till.

const warnings = () => [...document.querySelectorAll("[data-warned]")];

document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  const at = event.target.closest?.("[data-warned]");
  if (!at && event.target !== document.body && event.target.id !== "work") return;
  if (at && event.target !== at) return; // a button or a field within it
  const list = warnings();
  if (list.length === 0) return;
  if (event.key === "ArrowDown" || event.key === "ArrowUp") {
    const next = list.indexOf(at) + (event.key === "ArrowDown" ? 1 : -1);
    list[Math.max(0, Math.min(next, list.length - 1))].focus();
    event.preventDefault();
  } else if (at && event.key === "m") {
    again = list.indexOf(at);
    at.querySelector("[data-mend]")?.click();
  } else if (at && event.key === "Enter") {
    at.querySelector("[data-try]")?.click();
  }
});

// Where the warning stood that was mended, the next one has the focus.
let again = -1;
document.addEventListener("htmx:afterSettle", () => {
  if (again < 0) return;
  const list = warnings();
  list[Math.min(again, list.length - 1)]?.focus();
  again = -1;
});
