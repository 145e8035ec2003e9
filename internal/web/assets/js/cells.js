// Sending the cells of grids.

// A cell of a grid is sent once for what is typed, and what is typed while it is under way goes after it, from
// what was saved by then.
export const underWay = new Map(); // ids of cells to what is sent for them
export const sendCell = async (cell, text, was, post) => {
  const before = underWay.get(cell.id);
  if (before ? before.text === text : text === was && !cell.matches("[aria-invalid]")) return;
  const mine = { text };
  underWay.set(cell.id, mine);
  mine.done = (async () => {
    if (before) await before.done;
    await post(document.getElementById(cell.id) || cell);
  })().catch(() => {}); // what was not sent is told, and sent again
  await mine.done;
  if (underWay.get(cell.id) === mine) underWay.delete(cell.id);
};
