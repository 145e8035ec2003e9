// Reading rate curves and moving their breaks.

// Rate curves: pointing at one, or the arrow keys, read it; a break is moved by its mark.
const frame = { left: 52, right: 852 }; // as the server draws it
const curveOf = (el) => el && el.closest && el.closest("[data-curve]");
const tidy = (x, step) => String(Math.max(step, Math.round(Math.round(x / step) * step * 1e6) / 1e6));
const toX = (svg, x) => {
  const low = +svg.dataset.low,
    high = +svg.dataset.high;
  const share = "log" in svg.dataset ? Math.log(Math.max(x, low) / low) / Math.log(high / low) : x / high;
  return frame.left + share * (frame.right - frame.left);
};
const fromX = (svg, px) => {
  const low = +svg.dataset.low,
    high = +svg.dataset.high,
    share = Math.min(1, Math.max(0, (px - frame.left) / (frame.right - frame.left)));
  return "log" in svg.dataset ? low * Math.pow(high / low, share) : share * high;
};
const pointed = (svg, event) => {
  const box = svg.getBoundingClientRect();
  return fromX(svg, ((event.clientX - box.left) / box.width) * 860);
};
// On a logarithmic scale a step is a hundredth of where it is taken.
const stepAt = (svg, x) =>
  "log" in svg.dataset ? Math.pow(10, Math.floor(Math.log10(Math.max(x, 1e-6))) - 1) : +svg.dataset.step;
let readAt = 0,
  reading = 0;
const readCurve = (svg, x) => {
  const mine = ++reading,
    probe = svg.querySelector(".probe"),
    at = tidy(x, stepAt(svg, x));
  readAt = +at;
  probe.setAttribute("visibility", "visible");
  for (const end of ["x1", "x2"]) probe.setAttribute(end, toX(svg, readAt));
  setTimeout(async () => {
    if (mine !== reading) return;
    const answer = await fetch(`${svg.dataset.curve}/read?x=${at}`, { headers: { "HX-Request": "true" } });
    if (mine === reading && answer.ok)
      svg.parentElement.querySelector(".curve-read").innerHTML = await answer.text();
  }, 60);
};
const setBreak = (svg, handle, at) =>
  htmx
    .ajax("POST", svg.dataset.curve + "/at", {
      source: handle,
      target: "#work",
      swap: "innerHTML",
      values: { was: handle.dataset.at, at, whole: "1" },
    })
    .then(() => {
      const again = document.getElementById(handle.id);
      if (again) again.focus();
    });
let moving = null;
document.addEventListener("pointerdown", (event) => {
  const handle = event.target.closest && event.target.closest(".handle"),
    svg = curveOf(handle);
  if (!svg) return;
  event.preventDefault();
  handle.focus();
  moving = { svg, handle, from: event.clientX };
  handle.classList.add("drag");
  handle.setPointerCapture(event.pointerId);
});
document.addEventListener("pointermove", (event) => {
  if (moving) {
    const x = pointed(moving.svg, event);
    moving.at = tidy(x, stepAt(moving.svg, x));
    moving.handle.setAttribute(
      "transform",
      `translate(${toX(moving.svg, +moving.at) - toX(moving.svg, +moving.handle.dataset.at)})`,
    );
    readCurve(moving.svg, +moving.at);
  } else if (curveOf(event.target)) readCurve(curveOf(event.target), pointed(curveOf(event.target), event));
});
document.addEventListener("pointerup", () => {
  if (!moving) return;
  const { svg, handle, at } = moving;
  moving = null;
  handle.classList.remove("drag");
  handle.removeAttribute("transform");
  if (at && +at !== +handle.dataset.at) setBreak(svg, handle, at);
});
document.addEventListener("keydown", (event) => {
  const svg = curveOf(event.target),
    step = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1 }[event.key];
  if (!svg || !step) return;
  event.preventDefault();
  const handle = event.target.closest(".handle");
  if (!handle) return readCurve(svg, Math.min(+svg.dataset.high, readAt + step * stepAt(svg, readAt)));
  const now = +handle.dataset.at;
  setBreak(svg, handle, tidy(now + step * stepAt(svg, now), stepAt(svg, now)));
});
