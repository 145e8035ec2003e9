// A value that is slid or typed, each following the other, and a sum that is taken over by a button.
document.addEventListener(
  "input",
  (event) => {
    const form = event.target.closest && event.target.closest("[data-slide]");
    if (!form) return;
    const [slider, value] = [form.querySelector("[data-slider]"), form.querySelector("[data-value]")];
    if (event.target === slider) value.value = slider.value;
    else {
      const typed = Number(value.value.replace(",", ".").replace("−", "-"));
      if (!Number.isNaN(typed)) slider.value = typed;
    }
  },
  true, // before the form is read
);
document.addEventListener("click", (event) => {
  const button = event.target.closest && event.target.closest("[data-use]");
  const value = button && document.querySelector("[data-slide] [data-value]");
  if (!value) return;
  value.value = button.dataset.use;
  value.dispatchEvent(new Event("input", { bubbles: true }));
});
