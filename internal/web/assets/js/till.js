// The Till opens and shuts, its keys and Undo; what was unfolded in it is unfolded again when it is quoted anew.
import { textual, typing } from "./fields.js";

document.addEventListener("alpine:init", () => {
  Alpine.data("bench", () => ({
    open: localStorage.getItem("till") !== "shut",
    init() {
      this.show();
    },
    show() {
      document.body.classList.toggle("till-shut", !this.open);
    },
    toggle() {
      this.open = !this.open;
      localStorage.setItem("till", this.open ? "open" : "shut");
      this.show();
    },
    key(event) {
      if ((event.ctrlKey || event.metaKey) && !event.altKey) {
        // In a field that is being typed in, Ctrl+Z takes typing back; elsewhere the last edit.
        const key = event.key.toLowerCase(),
          redo = key === "y" || (key === "z" && event.shiftKey);
        if (
          (key !== "z" && key !== "y") ||
          (textual(event.target) && event.target.value !== event.target.defaultValue)
        )
          return;
        event.preventDefault();
        htmx.ajax("POST", redo ? "/redo" : "/undo", { source: document.body, swap: "none" });
        return;
      }
      if (event.altKey || typing(event.target)) return;
      if (event.key === "t") this.toggle();
      if (event.key === "/") {
        event.preventDefault();
        if (!this.open) this.toggle();
        const to = document.getElementById("till-to");
        to.focus();
        to.select();
      }
    },
  }));
});

// The Till is replaced as a whole: what was unfolded there is unfolded again.
let unfolded = new Set();
const remember = () => {
  unfolded = new Set(
    [...document.querySelectorAll("#till details[open]")].map((d) => d.dataset.method || "refused"),
  );
};
const unfold = () =>
  document.querySelectorAll("#till details").forEach((d) => {
    if (unfolded.has(d.dataset.method || "refused")) d.open = true;
  });
for (const name of ["htmx:beforeSwap", "htmx:oobBeforeSwap"]) document.addEventListener(name, remember);
for (const name of ["htmx:afterSwap", "htmx:oobAfterSwap"]) document.addEventListener(name, unfold);
