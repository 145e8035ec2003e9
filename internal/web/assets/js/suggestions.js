// Suggestions under a field while it is typed.
import { leave } from "./leaving.js";

// What may be meant is offered under the field while it is typed. Arrow keys choose, Enter takes the chosen one.
const offers = document.createElement("ul");
offers.id = "offers";
offers.setAttribute("role", "listbox");
offers.setAttribute("aria-label", "Suggestions");
offers.hidden = true;
let offeredTo = null,
  asking = 0,
  waiting = 0;
const chosen = () => offers.querySelector("[aria-selected=true]");
const shut = () => {
  clearTimeout(waiting);
  asking++;
  offers.hidden = true;
  if (offeredTo) {
    offeredTo.removeAttribute("aria-activedescendant");
    offeredTo.removeAttribute("aria-controls");
  }
  offeredTo = null;
};
const choose = (option) => {
  for (const o of offers.children) o.setAttribute("aria-selected", String(o === option));
  if (option) {
    offeredTo.setAttribute("aria-activedescendant", option.id);
    option.scrollIntoView({ block: "nearest" });
  } else offeredTo.removeAttribute("aria-activedescendant");
};
const takeOffer = (option) => {
  const field = offeredTo;
  if (option.dataset.href) {
    shut();
    field.value = "";
    field.blur();
    leave(option.dataset.href);
    return;
  }
  field.value = option.dataset.text;
  shut();
  field.focus();
  field.setSelectionRange(field.value.length, field.value.length);
  if (field.matches("#till-to, #till-add")) field.form.requestSubmit();
};
const offer = async (field) => {
  const mine = ++asking,
    url = new URL(field.dataset.suggest, location.href);
  url.searchParams.set("text", field.value);
  if (field.value.length > 2000) return shut();
  try {
    const answer = await fetch(url, { headers: { "HX-Request": "true" } });
    const html = answer.ok ? await answer.text() : "";
    if (mine !== asking || document.activeElement !== field) return;
    offers.innerHTML = html;
  } catch {
    return;
  }
  if (!offers.children.length) return shut();
  if (!offers.isConnected) document.body.append(offers);
  const box = field.getBoundingClientRect();
  offers.style.left = box.left + scrollX + "px";
  offers.style.top = box.bottom + scrollY + 2 + "px";
  offers.style.minWidth = Math.max(box.width, 220) + "px";
  offers.hidden = false;
  offers.style.left =
    Math.max(4, Math.min(box.left + scrollX, document.documentElement.clientWidth - offers.offsetWidth - 8)) +
    "px";
  offeredTo = field;
  field.setAttribute("aria-controls", "offers");
};
const offering = (event) => event.target.matches && event.target.matches("[data-suggest]");
document.addEventListener("input", (event) => {
  if (!offering(event)) return;
  clearTimeout(waiting);
  waiting = setTimeout(offer, 120, event.target);
});
document.addEventListener("focusout", (event) => {
  if (event.target === offeredTo || offering(event)) shut();
});
document.addEventListener(
  "keydown",
  (event) => {
    if (!offering(event)) return;
    if (event.target !== offeredTo) {
      if (event.key === "ArrowDown") {
        event.preventDefault();
        offer(event.target);
      } else if (event.key === "Enter") shut();
      return;
    }
    const list = [...offers.children],
      at = list.indexOf(chosen());
    if (event.key === "ArrowDown") choose(list[Math.min(at + 1, list.length - 1)]);
    else if (event.key === "ArrowUp") choose(list[at - 1]);
    else if (event.key === "Escape") shut();
    else if (event.key === "Enter" && chosen()) {
      event.stopPropagation();
      takeOffer(chosen());
    } else {
      if (event.key === "Enter") shut();
      return;
    }
    event.preventDefault();
  },
  true,
);
offers.addEventListener("mousedown", (event) => {
  event.preventDefault();
  const option = event.target.closest("[role=option]");
  if (option) takeOffer(option);
});

// Ctrl+K, or Cmd+K, is in the field that finds anything.
document.addEventListener("keydown", (event) => {
  if (event.key.toLowerCase() !== "k" || !(event.ctrlKey || event.metaKey) || event.shiftKey || event.altKey) return;
  const field = document.getElementById("find-any");
  if (!field) return;
  event.preventDefault();
  field.focus();
  field.select();
});
