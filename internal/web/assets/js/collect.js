// The map of the checkout: where goods can be collected, and where the buyer is.
import { landLayer, words } from "./land.js";

let map = null,
  marks = null,
  seen = "";
const show = ({ points, land }) => {
  const element = document.getElementById("collect-map");
  const placed = points.filter((p) => p.lat);
  if (!element || !window.L) return;
  element.hidden = placed.length === 0;
  if (!placed.length) return;
  if (!map) {
    map = L.map(element, { zoomControl: false, attributionControl: false, maxZoom: 15, minZoom: 3 });
    landLayer(land).addTo(map);
    marks = L.featureGroup().addTo(map);
  }
  marks.clearLayers();
  for (const p of placed) {
    const icon = L.divIcon({ className: `pin ${p.chosen ? "pin-chosen" : "pin-shop"}`, iconSize: [20, 20] });
    L.marker([p.lat, p.lon], { icon, title: p.name, alt: p.name, keyboard: true })
      .addTo(marks)
      .bindTooltip(words(p.name), { permanent: true, direction: "top", offset: [0, -10], className: "pin-name" })
      .on("click", () => window.dispatchEvent(new CustomEvent("point-picked", { detail: p.location })));
  }
  map.invalidateSize();
  const now = placed.map((p) => p.location).join(" ");
  if (now !== seen) map.fitBounds(marks.getBounds().pad(0.4), { maxZoom: 11 });
  seen = now;
};
window.addEventListener("points-shown", ({ detail }) => requestAnimationFrame(() => show(detail)));
