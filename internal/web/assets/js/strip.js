// Walking along the code strip.

// The code strip is one stop for Tab; arrow keys walk along its stretches.
document.addEventListener("keydown", (event) => {
  const bar = event.target.closest && event.target.closest("[data-strip] .bar");
  const step = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
  if (!bar || !(step || event.key === "Home" || event.key === "End")) return;
  event.preventDefault();
  const bars = [...bar.closest("svg").querySelectorAll(".bar")];
  const to =
    event.key === "Home"
      ? bars[0]
      : event.key === "End"
        ? bars[bars.length - 1]
        : bars[bars.indexOf(bar) + step];
  if (!to) return;
  bar.setAttribute("tabindex", "-1");
  to.setAttribute("tabindex", "0");
  to.focus();
});
