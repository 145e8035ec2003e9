// Boxes as they are packed: stepping through the order in which units go in, printing the slip, and drawings that are
// asked for when they are opened.

const show = (parcel, n) => {
  const range = parcel.querySelector("[data-steps]"),
    most = Number(range.max);
  const at = Math.max(0, Math.min(most, n));
  range.value = String(at);
  for (const unit of parcel.querySelectorAll("[data-step]")) {
    const step = Number(unit.dataset.step);
    unit.classList.toggle("later", step > at);
    unit.classList.toggle("latest", step === at && at < most);
  }
  const said = parcel.querySelector("[data-step-said]"),
    latest = parcel.querySelector('li[data-step="' + at + '"]');
  said.textContent = at + " of " + most;
  if (latest && at < most) latest.scrollIntoView({ block: "nearest" });
};

// The controls are shown where there is a script to work them.
const prepare = (root) => {
  for (const controls of root.querySelectorAll(".step-by[hidden]")) controls.hidden = false;
};
prepare(document);
document.addEventListener("htmx:afterSettle", () => prepare(document));
new MutationObserver(() => prepare(document)).observe(document.body, { childList: true, subtree: true });

document.addEventListener("input", (event) => {
  if (event.target.matches("[data-steps]")) show(event.target.closest("[data-parcel]"), Number(event.target.value));
});
document.addEventListener("click", (event) => {
  const by = event.target.closest("[data-step-to]");
  if (by) {
    const parcel = by.closest("[data-parcel]");
    show(parcel, Number(parcel.querySelector("[data-steps]").value) + Number(by.dataset.stepTo));
  } else if (event.target.closest("[data-print]")) window.print();
});
