// The grid of products, blocks that are pasted into grids, and fields that send their form.
import { sendCell } from "./cells.js";
import { placeOf } from "./rates.js";

// A grid of goods or of boxes: a cell is sent when it is left, a block from a spreadsheet as a whole, to the addresses
// below the one that the grid names.
const base = (cell) => cell.closest("[data-goods]").dataset.goods || "/goods";
const goodsCell = (el) => (el.closest && el.matches("[data-goods] .cell") ? el : null);
document.addEventListener("change", (event) => {
  const cell = goodsCell(event.target);
  if (cell) {
    const text = cell.type === "checkbox" ? (cell.checked ? "yes" : "no") : cell.value;
    sendCell(cell, text, cell.dataset.was, (now) =>
      htmx.ajax("POST", base(now) + "/cell", {
        source: now,
        target: now.parentElement,
        swap: "innerHTML",
        values: { sku: now.closest("tr").dataset.sku, field: now.dataset.f, was: now.dataset.was, text },
      }),
    );
  } else if (event.target.matches("[data-pick-all]")) {
    for (const box of document.querySelectorAll("[data-goods] .pick [name=selected]"))
      box.checked = event.target.checked;
  } else if (event.target.matches("[data-send]")) event.target.form.requestSubmit();
});
document.addEventListener("paste", (event) => {
  const rated = event.target.closest && event.target.closest("[data-rates]"),
    block0 = event.clipboardData && event.clipboardData.getData("text/plain");
  if (rated && event.target.matches(".cell") && block0 && /[\t\n]/.test(block0.replace(/\r?\n$/, ""))) {
    event.preventDefault();
    const [at, zone] = placeOf(event.target),
      beside = rated.tHead.rows[0].querySelector("[data-zone]");
    htmx.ajax("POST", rated.dataset.rates + "/paste", {
      source: event.target,
      target: "#work",
      swap: "innerHTML",
      values: { at, zone, beside: zone || !beside ? "" : beside.dataset.zone, block: block0 },
    });
    return;
  }
  const into = event.target.dataset && event.target.dataset.paste;
  if (into && block0 && /\t/.test(block0)) {
    event.preventDefault();
    htmx.ajax("POST", into, {
      source: event.target,
      target: "#work",
      swap: "innerHTML",
      values: { sku: "", field: "name", block: block0 },
    });
    return;
  }
  const cell = goodsCell(event.target),
    block = event.clipboardData && event.clipboardData.getData("text/plain");
  if (!cell || !block || !/[\t\n]/.test(block.replace(/\r?\n$/, ""))) return;
  event.preventDefault();
  htmx.ajax("POST", base(cell) + "/paste", {
    source: cell,
    target: "#work",
    swap: "innerHTML",
    values: { sku: cell.closest("tr").dataset.sku, field: cell.dataset.f, block },
  });
});
