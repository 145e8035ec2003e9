// Typing outlives every swap, and answers find their place.
import { textual, typing } from "./fields.js";

// What is typed and not answered yet outlives every swap, of the work and out of band: its field comes anew from
// the server, and gets back its text, the cursor and the focus. A field's own answer stands, unless more was typed
// since it was sent.
const original = (f) => {
  if (f.matches("select")) return ([...f.options].find((o) => o.defaultSelected) || f.options[0] || {}).value;
  return f.type === "checkbox" ? f.defaultChecked : f.defaultValue;
};
const current = (f) => (f.type === "checkbox" ? f.checked : f.value);
const sent = new WeakMap(),
  restored = new WeakSet(); // fields, with the value that was sent last; fields whose typing was put back
// unsent tells whether a field holds something that was never sent.
export const unsent = (f) => current(f) !== original(f) && sent.get(f) !== current(f);
// notSent takes back that what an element holds was sent.
export const notSent = (elt) => {
  for (const f of elt.matches("form") ? elt.elements : [elt]) {
    sent.delete(f);
    if (textual(f)) f.classList.add("not-sent");
    restored.add(f); // left once more, it is sent
  }
};
let answered = null; // the element whose answer is swapped now
document.addEventListener("htmx:beforeRequest", (event) => {
  const { elt, xhr } = event.detail;
  for (const f of elt.matches("form") ? elt.elements : [elt]) if (typing(f)) sent.set(f, current(f));
  xhr.addEventListener("readystatechange", () => {
    if (xhr.readyState === 4) answered = elt;
  });
});
const own = (f) =>
  answered && (answered === f || (answered.id && answered.id === f.id) || answered.contains(f));
let kept = [],
  refused = [];
// A field that was refused keeps what was typed and the reason, until it is answered itself.
const keepRefused = (inside) => {
  for (const note of inside.querySelectorAll(".slip-note")) {
    let box = note,
      top = note,
      field = null;
    for (let n = 0; n < 3 && box !== inside && !field; n++) {
      top = box;
      box = box.parentElement;
      field = box.querySelector("input[id]:not([type=checkbox], [type=file]), textarea[id]");
    }
    if (!field || !box.id + box.className || own(field) || own(box) || field.value === "") continue;
    const notes = [top.cloneNode(true)],
      meant = top.nextElementSibling;
    if (meant && meant.matches(".meant")) notes.push(meant.cloneNode(true));
    refused.push({ id: field.id, value: field.value, box: box.className, tag: box.tagName, notes });
  }
};
const putRefusedBack = () => {
  for (const r of refused) {
    const field = document.getElementById(r.id);
    let box = field && field.parentElement;
    for (let n = 0; box && n < 3 && (box.tagName !== r.tag || box.className.split(" ")[0] !== r.box.split(" ")[0]); n++)
      box = box.parentElement;
    if (!field || !box || box.querySelector(".slip-note")) continue;
    field.value = r.value;
    field.setAttribute("aria-invalid", "true");
    sent.set(field, r.value);
    box.append(...r.notes);
    for (const note of r.notes) htmx.process(note);
  }
  refused = [];
};
const keep = (inside) => {
  keepRefused(inside);
  for (const f of inside.querySelectorAll("input[id], textarea[id], select[id]")) {
    if (["hidden", "file", "submit", "button"].includes(f.type)) continue;
    const focused = f === document.activeElement;
    const unsent = current(f) !== original(f) && !(own(f) && sent.get(f) === current(f));
    // Numbers do not tell where their cursor is.
    const all = focused && f.value !== "" && String(getSelection()) === f.value;
    if (unsent || focused)
      kept.push({
        id: f.id,
        unsent,
        focused,
        all,
        value: current(f),
        sent: sent.get(f),
        from: textual(f) ? f.selectionStart : null,
        to: textual(f) ? f.selectionEnd : null,
      });
  }
};
const putBack = () => {
  putRefusedBack();
  for (const k of kept) {
    const f = document.getElementById(k.id);
    if (!f || f.disabled) continue;
    if (k.unsent && current(f) !== k.value) {
      if (f.type === "checkbox") f.checked = k.value;
      else f.value = k.value;
      if (k.sent !== undefined) sent.set(f, k.sent);
      restored.add(f);
    }
    if (k.unsent && !k.focused) tellChange(f); // it was left, and what told of that is gone
    if (
      k.focused &&
      document.activeElement !== f &&
      (document.activeElement === document.body || !document.activeElement)
    )
      f.focus({ preventScroll: true });
    if (k.all) f.select();
    else if (k.focused && k.from !== null && textual(f)) {
      try {
        f.setSelectionRange(k.from, k.to);
      } catch {
        /* numbers have no cursor that can be set */
      }
    }
  }
  kept = [];
};
// A form that adds things is typed into again once it has added one.
const again = new WeakMap(); // requests, with the field to go on with
document.addEventListener("htmx:beforeRequest", ({ detail: { elt, xhr } }) => {
  if (elt.matches("form[data-again]")) again.set(xhr, elt.dataset.again);
});
document.addEventListener("htmx:afterOnLoad", ({ detail: { xhr } }) => {
  const field = xhr.status === 200 && again.has(xhr) && document.getElementById(again.get(xhr));
  if (field) field.focus();
});
document.addEventListener("htmx:beforeSwap", (event) => {
  if (event.detail.shouldSwap) keep(event.detail.target);
});
document.addEventListener("htmx:oobBeforeSwap", (event) => keep(event.detail.target));
for (const name of ["htmx:afterSwap", "htmx:oobAfterSwap", "htmx:afterSettle"])
  document.addEventListener(name, putBack);
// A browser tells of a change of a field that was typed into: not of one whose text was put back.
document.addEventListener("change", (event) => restored.delete(event.target), true);
const tellChange = (f) => {
  if (!restored.has(f)) return;
  restored.delete(f);
  if (unsent(f)) f.dispatchEvent(new Event("change", { bubbles: true }));
};
document.addEventListener("focusout", (event) => tellChange(event.target));
document.addEventListener("keydown", (event) => {
  if (event.key === "Enter" && textual(event.target)) tellChange(event.target);
});

// Where the element that asked was replaced while its answer was under way, the answer goes to what stands in its
// place now.
const late = (elt, { xhr, target, etc }) => {
  const names = xhr.getResponseHeader("HX-Trigger"),
    retarget = xhr.status >= 400 && xhr.status !== 422 ? "#notice" : xhr.getResponseHeader("HX-Retarget");
  let place = null,
    style =
      xhr.getResponseHeader("HX-Reswap") ||
      etc.swapOverride ||
      elt.closest("[hx-swap]")?.getAttribute("hx-swap") ||
      "innerHTML";
  if (retarget) {
    place = document.querySelector(retarget);
    style = "innerHTML";
  } else if (target.isConnected) place = target;
  else if (elt.id && target.contains(elt)) {
    place = document.getElementById(elt.id);
    for (let up = elt; place && up !== target; up = up.parentElement) place = place.parentElement;
  }
  answered = elt;
  if (place) keep(place);
  htmx.swap(place || document.body, xhr.responseText, { swapStyle: place ? style.split(" ")[0] : "none" });
  putBack();
  if (names) htmx.trigger(document.body, names);
};
document.addEventListener("htmx:beforeRequest", ({ detail: { elt, xhr } }) => {
  const answer = (event) => {
    if (event.detail.xhr !== xhr) return;
    elt.removeEventListener("htmx:beforeOnLoad", answer);
    if (elt.isConnected) return;
    event.preventDefault();
    late(elt, event.detail);
  };
  elt.addEventListener("htmx:beforeOnLoad", answer);
});
