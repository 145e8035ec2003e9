// Walking through grids.

// A grid is walked with the arrow keys and Enter; left and right leave a cell only from the ends of its text.
const cellsOf = (row) => [...row.querySelectorAll(".cell")];
const goTo = (cell) => {
  if (cell) {
    cell.focus();
    if (cell.select) cell.select();
  }
};

document.addEventListener("keydown", (event) => {
  const cell = event.target;
  if (!cell.matches || !cell.matches("[data-grid] .cell")) return;
  const row = cell.closest("tr"),
    cells = cellsOf(row),
    at = cells.indexOf(cell);
  const fromEnd = cells.length - at; // rows may lack a break point in front
  const beside = (r) => {
    const c = r ? cellsOf(r) : [];
    return c[c.length - fromEnd];
  };
  const whole =
    cell.type === "checkbox" || (cell.selectionStart === 0 && cell.selectionEnd === cell.value.length);
  switch (event.key) {
    case "Enter":
      event.preventDefault();
      if (cell.closest(".bad")) htmx.trigger(cell, "change");
      else if (cell.matches("[data-goods] [aria-invalid], [data-rates] [aria-invalid]"))
        cell.dispatchEvent(new Event("change", { bubbles: true }));
      else if (beside(event.shiftKey ? row.previousElementSibling : row.nextElementSibling))
        goTo(beside(event.shiftKey ? row.previousElementSibling : row.nextElementSibling));
      else cell.blur();
      break;
    case "ArrowDown":
      event.preventDefault();
      goTo(beside(row.nextElementSibling));
      break;
    case "ArrowUp":
      event.preventDefault();
      goTo(beside(row.previousElementSibling));
      break;
    case "ArrowLeft":
      if (whole || cell.selectionEnd === 0) {
        event.preventDefault();
        goTo(cells[at - 1]);
      }
      break;
    case "ArrowRight":
      if (whole || cell.selectionStart === cell.value.length) {
        event.preventDefault();
        goTo(cells[at + 1]);
      }
      break;
    case "Escape":
      if (cell.type !== "checkbox") {
        cell.value = cell.defaultValue;
        cell.select();
      }
      break;
  }
});

// What is typed into a cell that was just reached replaces what stands there, as in a spreadsheet; a second click puts
// the cursor into the text.
let pointed = null;
const textCell = (el) =>
  el && el.matches && el.matches("[data-grid] .cell") && el.type !== "checkbox" && el.select ? el : null;
document.addEventListener("mousedown", ({ target }) => {
  const cell = textCell(target);
  pointed = cell !== document.activeElement ? cell : null;
});
document.addEventListener("click", ({ target }) => {
  if (pointed && pointed === target && pointed.selectionStart === pointed.selectionEnd) pointed.select();
  pointed = null;
});
document.addEventListener("focusin", ({ target }) => {
  const cell = textCell(target);
  if (cell && cell !== pointed) cell.select();
});
