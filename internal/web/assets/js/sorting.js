// Putting lists in order: a row is dragged by its grip, with a mouse or a finger, or moved by it with the arrow keys.

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

document.addEventListener("keydown", (event) => {
  if (
    !event.target.matches ||
    !event.target.matches(".grip") ||
    !["ArrowUp", "ArrowDown"].includes(event.key)
  )
    return;
  event.preventDefault();
  move(event.target.closest("[data-sort] > li"), { step: event.key === "ArrowUp" ? "up" : "down" });
});

// A dragged row moves among the others; where it is dropped, the one behind it says its place.
const sortable = (list) =>
  Sortable.create(list, {
    handle: ".grip",
    draggable: "li[data-id]",
    forceFallback: true, // the same with a mouse and a finger
    fallbackTolerance: 4,
    animation: 120,
    scrollSensitivity: 80,
    onEnd: ({ item, oldIndex, newIndex }) => {
      if (oldIndex === newIndex) return;
      const behind = item.nextElementSibling;
      move(item, { before: behind ? behind.dataset.id : "" });
    },
  });
htmx.onLoad((part) => {
  const lists = [...part.querySelectorAll("[data-sort]")];
  if (part.matches && part.matches("[data-sort]")) lists.push(part);
  for (const list of lists) if (!Sortable.get(list)) sortable(list);
});
