// Putting lists in order.

// Lists that are put in order: a row is dragged by its grip, or moved by it with the arrow keys.
const movable = (el) => el && el.closest && el.closest("[data-sort] > li");
const move = (row, values) =>
  htmx
    .ajax("POST", `${row.parentElement.dataset.sort}/${row.dataset.id}/move`, {
      source: row,
      target: "#work",
      swap: "innerHTML",
      values,
    })
    .then(() => {
      const grip = document.getElementById("grip-" + row.dataset.id);
      if (grip) grip.focus();
    });
let dragged = null;
document.addEventListener("keydown", (event) => {
  if (
    !event.target.matches ||
    !event.target.matches(".grip") ||
    !["ArrowUp", "ArrowDown"].includes(event.key)
  )
    return;
  event.preventDefault();
  move(movable(event.target), { step: event.key === "ArrowUp" ? "up" : "down" });
});
document.addEventListener("dragstart", (event) => {
  if (!event.target.matches || !event.target.matches(".grip")) return;
  dragged = movable(event.target);
  event.dataTransfer.effectAllowed = "move";
  event.dataTransfer.setDragImage(dragged, 10, 10);
});
document.addEventListener("dragover", (event) => {
  if (!dragged) return;
  const over = movable(event.target);
  for (const row of document.querySelectorAll("[data-sort] > li.over, [data-sort] > li.over-end"))
    row.classList.remove("over", "over-end");
  if (over || event.target.closest("[data-sort]")) event.preventDefault();
  if (over && over !== dragged) over.classList.add(lower(over, event) ? "over-end" : "over");
});
// A row is dropped before the one under it, or behind it in its lower half.
const lower = (row, event) => {
  const box = row.getBoundingClientRect();
  return event.clientY > box.top + box.height / 2;
};
document.addEventListener("drop", (event) => {
  if (!dragged) return;
  event.preventDefault();
  const over = movable(event.target);
  if (!over || over === dragged) return;
  const before = lower(over, event) ? over.nextElementSibling : over;
  if (before !== dragged) move(dragged, { before: before ? before.dataset.id : "" });
});
document.addEventListener("dragend", () => {
  dragged = null;
  for (const row of document.querySelectorAll("[data-sort] > li.over, [data-sort] > li.over-end"))
    row.classList.remove("over", "over-end");
});
