// Price lists: cells are sent, ranges marked, copied and emptied.
import { sendCell } from "./cells.js";

// Shift with the arrow keys, or the mouse, marks a range; it is copied for a spreadsheet, and Delete empties it.
export const placeOf = (cell) => {
  const row = cell.closest("tr"),
    at = row.dataset.at;
  if (cell.matches(".at")) return [at, ""];
  return [at, cell.closest("table").tHead.rows[0].cells[cell.closest("td").cellIndex].dataset.zone];
};
const wasOf = (cell) => ("was" in cell.dataset ? cell.dataset.was : cell.defaultValue);
document.addEventListener("change", (event) => {
  const cell = event.target,
    table = cell.closest && cell.closest("[data-rates]");
  if (!table || !cell.matches("td .cell")) return;
  const text = cell.value;
  sendCell(cell, text, wasOf(cell), (now) => {
    const [at, zone] = placeOf(now);
    return htmx.ajax("POST", table.dataset.rates + "/cell", {
      source: now,
      target: now.parentElement,
      swap: "innerHTML",
      values: { at, zone, was: wasOf(now), text, dom: now.id, label: now.getAttribute("aria-label") },
    });
  });
});
const rateCells = (table) => [...table.tBodies[0].rows].map((row) => [...row.querySelectorAll("td .cell")]);
const position = (table, cell) => {
  const rows = rateCells(table);
  for (let r = 0; r < rows.length; r++) if (rows[r].includes(cell)) return [r, rows[r].indexOf(cell)];
  return null;
};
let anchor = null,
  reach = null;
const marked = (table) => [...table.querySelectorAll(".cell.mark")];
const unmark = () => {
  for (const c of document.querySelectorAll(".cell.mark")) c.classList.remove("mark");
  anchor = reach = null;
};
const markTo = (table, to) => {
  for (const c of marked(table)) c.classList.remove("mark");
  reach = to;
  const rows = rateCells(table),
    [r1, r2] = [anchor[0], to[0]].sort((a, b) => a - b),
    [c1, c2] = [anchor[1], to[1]].sort((a, b) => a - b);
  for (let r = r1; r <= r2; r++) for (let c = c1; c <= c2; c++) rows[r][c].classList.add("mark");
};
document.addEventListener(
  "keydown",
  (event) => {
    const cell = event.target,
      table = cell.closest && cell.closest("[data-rates]");
    if (!table || !cell.matches("td .cell")) return;
    const step = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1] }[event.key];
    if (step && event.shiftKey) {
      const rows = rateCells(table);
      if (!anchor) {
        anchor = position(table, cell);
        reach = anchor;
      }
      markTo(table, [
        Math.max(0, Math.min(rows.length - 1, reach[0] + step[0])),
        Math.max(0, Math.min(rows[0].length - 1, reach[1] + step[1])),
      ]);
      event.preventDefault();
      event.stopPropagation();
    } else if (event.key === "Delete" && marked(table).length > 1) {
      event.preventDefault();
      const rows = rateCells(table)
          .map((r) => r.filter((c) => c.matches(".mark")))
          .filter((r) => r.length),
        [at, zone] = placeOf(rows[0][0]);
      htmx.ajax("POST", table.dataset.rates + "/paste", {
        source: cell,
        target: "#work",
        swap: "innerHTML",
        values: { at, zone, block: rows.map((r) => r.map(() => "no").join("\t")).join("\n") },
      });
      unmark();
    } else if (!event.ctrlKey && !event.metaKey && event.key !== "Shift") unmark();
  },
  true,
);
document.addEventListener("mousedown", (event) => {
  const cell = event.target,
    table = cell.closest && cell.closest("[data-rates]");
  if (table && cell.matches("td .cell") && event.shiftKey && position(table, document.activeElement)) {
    event.preventDefault();
    if (!anchor) anchor = position(table, document.activeElement);
    markTo(table, position(table, cell));
  } else unmark();
});
document.addEventListener("copy", (event) => {
  const table = event.target.closest && event.target.closest("[data-rates]");
  if (!table || marked(table).length < 2) return;
  event.preventDefault();
  const rows = rateCells(table)
    .map((r) => r.filter((c) => c.matches(".mark")).map((c) => c.value))
    .filter((r) => r.length);
  event.clipboardData.setData("text/plain", rows.map((r) => r.join("\t")).join("\n") + "\n");
});
