// The map of the zones: land, the zones over it, and shapes that are drawn by hand.

import { canvas, drawCoast, drawLand, fill, get, perPixel, size, trace, words } from "./land.js";

const css = (name) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();
const colours = {
  z1: "#0072b2",
  z2: "#e69f00",
  z3: "#009e73",
  z4: "#cc79a7",
  z5: "#56b4e9",
  z6: "#7a6a58",
  z7: "#d55e00",
  z8: "#2f4858",
};
const colourOf = (zone) => colours[now.colours[zone]] || "#777";
const element = () => document.getElementById("ground");
const data = () => document.getElementById("ground-data");
const says = (text) => {
  const at = document.getElementById("ground-says");
  if (at) at.textContent = text;
};

// The map and what is on it live as long as the page: swaps of the work keep its element.
let map = null,
  now = null,
  layers = null,
  tiles = null,
  chosen = null, // the layer of the chosen shape
  kept = null, // what was drawn and refused, so that it is not lost
  credit = null, // whose map it is
  asked = "", // zone, shape and method that are shown
  drawing = "";

// Land and zones: a canvas for each tile.
// Of a country: all its land, without that of smaller ones within it.
const country = (c, land, code, paint) => {
  let inside = false;
  for (const [other, rings] of land) {
    if (other === code) {
      c.globalCompositeOperation = "source-over";
      c.fillStyle = paint;
      fill(c, rings);
      inside = true;
    } else if (inside) {
      c.globalCompositeOperation = "destination-out";
      fill(c, rings);
    }
  }
  c.globalCompositeOperation = "source-over";
};
// What a rule covers, opaque, on a canvas of its own.
const cover = (paint, land, colour) => {
  const [e, c] = canvas();
  c.fillStyle = colour;
  if (paint.world) c.fillRect(0, 0, size, size);
  for (const code of paint.in || []) {
    if (!paint.rings) country(c, land, code, colour);
  }
  if (paint.rings) {
    fill(c, paint.rings);
    if (paint.in) {
      const [mask, m] = canvas();
      for (const code of paint.in) country(m, land, code, "#000");
      c.globalCompositeOperation = "destination-in";
      c.drawImage(mask, 0, 0, size, size);
    }
  }
  for (const out of paint.except || []) {
    c.globalCompositeOperation = "destination-out";
    c.drawImage(cover(out, land, "#000"), 0, 0, size, size);
  }
  return e;
};
const label = (c, text, x, y, bold) => {
  c.font = `${bold ? 600 : 400} 11px "Atkinson Next", sans-serif`;
  c.lineWidth = 3;
  c.strokeStyle = "rgba(255,253,248,.9)";
  c.fillStyle = "#1b2a33";
  c.strokeText(text, x, y);
  c.fillText(text, x, y);
};
// The mark of a zone in the list: a square, a circle, a diamond or an arch.
const mark = (c, x, y, zone, r) => {
  const kind = zone < 0 ? 1 : (Number((now.colours[zone] || "z2").slice(1)) - 1) % 4;
  c.beginPath();
  if (kind === 0) c.rect(x - r, y - r, 2 * r, 2 * r);
  else if (kind === 1) c.arc(x, y, r * 1.1, 0, 7);
  else if (kind === 2) {
    const d = r * 1.35;
    c.moveTo(x, y - d);
    c.lineTo(x + d, y);
    c.lineTo(x, y + d);
    c.lineTo(x - d, y);
    c.closePath();
  } else {
    c.arc(x, y, r * 1.15, Math.PI, 0);
    c.lineTo(x + r * 1.15, y + r);
    c.lineTo(x - r * 1.15, y + r);
    c.closePath();
  }
};
const draw = (c, base, over, zoom) => {
  c.clearRect(0, 0, size, size);
  if (!now.tiles) drawLand(c, base, zoom);
  // Whole countries, regions and the world are painted on land, what is drawn by hand also on water; of zones that lie
  // over one another the one that comes first is seen.
  const lands = over.paint.filter((p) => !p.drawn);
  const shapes = over.paint.filter((p) => p.drawn);
  if (lands.length) {
    const [e, on] = canvas();
    for (const paint of lands) on.drawImage(cover(paint, base.land, colourOf(paint.zone)), 0, 0, size, size);
    const [mask, m] = canvas();
    m.fillStyle = "#000";
    for (const [, rings] of base.land) fill(m, rings);
    on.globalCompositeOperation = "destination-in";
    on.drawImage(mask, 0, 0, size, size);
    c.globalAlpha = 0.2;
    c.drawImage(e, 0, 0, size, size);
    c.globalAlpha = 1;
  }
  for (const paint of shapes) {
    c.globalAlpha = 0.3;
    c.drawImage(cover(paint, base.land, colourOf(paint.zone)), 0, 0, size, size);
    c.globalAlpha = 1;
  }
  if (!now.tiles) drawCoast(c, base);
  for (const paint of shapes) {
    c.beginPath();
    trace(c, paint.rings || []);
    c.strokeStyle = colourOf(paint.zone);
    c.lineWidth = 1.5;
    c.stroke();
  }
  c.textAlign = "center";
  for (const [x, y, name] of over.names) label(c, name, x / perPixel, y / perPixel - 4, true);
  c.textAlign = "start";
  over.spots.forEach(([x, y, zone, name, code], i) => {
    x /= perPixel;
    y /= perPixel;
    mark(c, x, y, zone, zoom < 7 ? 2 : 3.2);
    c.fillStyle = zone < 0 ? "#fffdf8" : colourOf(zone);
    c.fill();
    c.strokeStyle = "rgba(27,42,51,.7)";
    c.lineWidth = 0.8;
    c.stroke();
    if (zoom >= 6 && (zoom >= 9 || i < 5)) {
      label(c, zoom >= 10 && code ? `${code} ${name}` : name, x + 5, y + 4, false);
    }
  });
};
const layTiles = () => {
  const Land = L.GridLayer.extend({
    createTile(at, done) {
      const [e, c] = canvas();
      const n = 2 ** at.z,
        x = ((at.x % n) + n) % n;
      if (at.y < 0 || at.y >= n) {
        setTimeout(() => done(null, e));
        return e;
      }
      Promise.all([
        get(`/map/land/${now.land}/${at.z}/${x}/${at.y}`),
        get(`/map/over/${now.stamp}/${at.z}/${x}/${at.y}`),
      ]).then(([base, over]) => {
        if (base && over) draw(c, base, over, at.z);
        done(base && over ? null : new Error("no tile"), e);
      });
      return e;
    },
  });
  if (tiles) map.removeLayer(tiles);
  tiles = new Land({ tileSize: size, maxZoom: 17, minZoom: 2, keepBuffer: 3, updateWhenZooming: false });
  tiles.addTo(map);
};

// What is only looked at: nothing snaps to it, and it is not drawn on.
// The handles of what is changed lie over it.
const apart = { pmIgnore: true, snapIgnore: true, zIndexOffset: -2000 };
const still = { ...apart, interactive: false };
// Marks are drawn by style sheets alone, without pictures.
const pin = (kind, colour) =>
  L.divIcon({
    className: `pin pin-${kind} ${colour || ""}`,
    iconSize: [18, 18],
    iconAnchor: kind === "overlap" ? [26, 26] : [9, 9], // beside what else is at that address
  });

const sent = (values) => {
  htmx.ajax("POST", "/map/shape", { source: data(), target: "#work", swap: "innerHTML", values });
};
const rings = (latlngs) => latlngs.map((p) => [L.Util.formatNum(p.lng, 6), L.Util.formatNum(p.lat, 6)]);
const closed = (ring) => [...ring, ring[0]];
// The polygons of a layer as GeoJSON has them.
const polygonsOf = (layer) => {
  let l = layer.getLatLngs();
  if (!Array.isArray(l[0][0]) && l[0].lat !== undefined) l = [l];
  if (l[0][0].lat !== undefined) l = [l];
  return l.map((polygon) => polygon.filter((r) => r.length > 2).map((r) => closed(rings(r))));
};
const geojson = (polygons) =>
  JSON.stringify(
    polygons.length === 1
      ? { type: "Polygon", coordinates: polygons[0] }
      : { type: "MultiPolygon", coordinates: polygons },
  );
const valuesOf = (layer) =>
  layer instanceof L.Circle
    ? {
        metres: String(layer.getRadius()),
        middle: `${layer.getLatLng().lat.toFixed(6)} ${layer.getLatLng().lng.toFixed(6)}`,
      }
    : { area: geojson(polygonsOf(layer)) };

// While a shape is changed it is said what it has in it; a moment after, it is saved.
let factsSoon = 0,
  saveSoon = 0;
const facts = (layer) => {
  clearTimeout(factsSoon);
  factsSoon = setTimeout(() => {
    const at = document.getElementById("ground-facts");
    if (!at) return;
    htmx.ajax("POST", "/map/facts", {
      source: at,
      target: at,
      swap: "innerHTML",
      values: { zone: data().dataset.zone, mark: data().dataset.shape, ...valuesOf(layer) },
    });
  }, 120);
};
const save = (layer) => {
  clearTimeout(saveSoon);
  saveSoon = setTimeout(() => {
    saveSoon = 0;
    kept = layer;
    sent({ do: "set", zone: data().dataset.zone, mark: data().dataset.shape, ...valuesOf(layer) });
  }, 500);
};

const editable = { snappable: true, snapDistance: 14, allowSelfIntersection: false };
const choose = (layer) => {
  chosen = layer;
  layer.setStyle({ weight: 3, dashArray: null, fillOpacity: 0.2 });
  layer.pm.enable(editable);
  layer.on("pm:edit pm:dragend pm:vertexremoved pm:vertexadded", () => save(layer));
  layer.on("pm:change pm:markerdrag pm:drag", () => {
    if (saveSoon) save(layer); // it goes on: wait until it rests
    facts(layer);
  });
};
const showShapes = () => {
  const { zone, shape } = data().dataset;
  chosen = null;
  const index = now.colours.length ? document.querySelector(".ground-zone h2 .sw") : null;
  const name = index ? [...index.classList].find((k) => /^z\d$/.test(k)) : "z1";
  const colour = colours[name] || colours.z1;
  for (const s of now.shapes) {
    const style = { color: colour, weight: 2, dashArray: "6 4", fillOpacity: 0.08, bubblingMouseEvents: true };
    const layer = s.areas ? L.polygon(s.areas, style) : L.circle(s.at, { ...style, radius: s.radius });
    layer.addTo(layers);
    if (s.mark === shape) choose(layer);
    else {
      layer.pm.disable();
      layer.on("click", (event) => {
        L.DomEvent.stop(event);
        const path = `/map?zone=${encodeURIComponent(zone)}&shape=${s.mark}`;
        htmx.ajax("GET", path, { source: data(), target: "#work", swap: "innerHTML", select: "#work > *" });
        history.replaceState(null, "", path);
      });
    }
  }
  for (const ring of now.near) {
    const thin = { color: "#1b2a33", weight: 0.5, opacity: 0.35, fill: false };
    L.polygon(ring, { ...thin, interactive: false, pmIgnore: false }).addTo(layers);
  }
};
const showRest = () => {
  for (const r of now.rings) {
    L.polyline(r.edge, { color: css("--course"), weight: 1.5, dashArray: "2 5", ...still }).addTo(layers);
    const top = r.edge.reduce((a, b) => (b[0] > a[0] ? b : a));
    L.marker(top, {
      icon: L.divIcon({ className: "ring-text", html: "", iconSize: null }),
      interactive: false,
      keyboard: false,
      ...apart,
    })
      .addTo(layers)
      .getElement().textContent = r.text;
  }
  for (const r of now.reach) {
    const e = L.marker(r.at, { icon: pin("reach", `row-${r.row % 6}`), keyboard: false, ...apart })
      .addTo(layers)
      .getElement();
    e.textContent = String(r.row + 1);
    e.title = r.text;
  }
  for (const m of now.marks) {
    L.marker(m.at, { icon: pin("overlap"), title: m.text, alt: m.text, ...apart })
      .addTo(layers)
      .bindPopup(words(m.text));
  }
  if (now.till) {
    for (const w of now.till.ways) {
      if (!w.counts) continue;
      L.polyline([w.from, now.till.at], {
        color: css("--ink"),
        weight: 1.5,
        dashArray: w.road ? "1 5" : null,
        ...still,
      }).addTo(layers);
    }
  }
  for (const p of now.places) {
    L.marker(p.at, { icon: pin("shop"), title: `${p.name}: ${p.text}`, alt: p.name, ...apart })
      .addTo(layers)
      .bindTooltip(words(p.name), {
        permanent: map.getZoom() >= 10,
        direction: "right",
        offset: [8, 0],
        className: "pin-name",
      });
  }
  if (now.till) {
    const t = now.till;
    const counts = t.ways.find((w) => w.counts);
    const taken = t.zone ? `taken by ${t.zone}` : "taken by no zone";
    const said = [t.name, taken, counts ? counts.text : ""].filter(Boolean);
    const text = said.join(" · ");
    L.marker(t.at, { icon: pin("till", t.colour), title: text, alt: text, ...apart, zIndexOffset: -1500 })
      .addTo(layers)
      .bindTooltip(words(...said), {
        permanent: true,
        direction: "bottom",
        offset: [0, 8],
        className: "pin-name pin-till-name",
      });
  }
};

// While a shape is held or a change of it waits to be saved, what is on the map stays: the next answer shows all of it.
let held = false,
  late = false;
document.addEventListener("pointerdown", (event) => {
  held = !!element() && element().contains(event.target);
});
document.addEventListener("pointerup", () => {
  held = false;
  if (late && !saveSoon) setTimeout(() => late && !saveSoon && refresh(false), 50);
});
let turn = 0; // of refreshes: only the last one counts
const refresh = async (fit) => {
  const mine = ++turn;
  const { zone, shape, method } = data().dataset;
  const query = new URLSearchParams({ zone, method });
  const answer = await fetch(`/map/now?${query}`).then((r) => (r.ok ? r.json() : null)).catch(() => null);
  if (!answer || !map || mine !== turn || !data()) return;
  late = !!chosen && (held || !!saveSoon);
  if (late) return;
  const before = now;
  now = answer;
  if (!before) map.fitBounds(now.start);
  if (!before || before.land !== now.land || before.stamp !== now.stamp) {
    if (now.tiles && !map.own) {
      map.own = L.tileLayer(now.tiles.url, { attribution: "", maxZoom: 17 }).addTo(map);
    }
    layTiles();
    credit.textContent = now.tiles
      ? now.tiles.credit
      : "Coasts: © OpenStreetMap contributors, ODbL. Regions: Natural Earth.";
  }
  const refused = "refused" in data().dataset;
  layers.eachLayer((l) => l.pm && l.pm.disable());
  layers.clearLayers();
  showShapes();
  showRest();
  if (refused && kept) {
    kept.setStyle && kept.setStyle({ color: css("--ember"), dashArray: "4 4" });
    kept.addTo(layers);
  } else kept = null;
  if (chosen && ("fresh" in data().dataset || (fit && `${zone} ${shape}` !== asked))) {
    const b = chosen.getBounds().pad(0.25);
    if (!map.getBounds().contains(b) || "fresh" in data().dataset) map.fitBounds(b);
  } else if (fit && zone && `${zone} ${shape}` !== asked && now.shapes.length) {
    const b = L.latLngBounds([]);
    layers.eachLayer((l) => l.getBounds && l.options.dashArray === "6 4" && b.extend(l.getBounds()));
    if (b.isValid() && !map.getBounds().contains(b)) map.fitBounds(b.pad(0.2));
  } else if (fit && now.till && !map.getBounds().contains(now.till.at)) map.panTo(now.till.at);
  asked = `${zone} ${shape}`;
  const at = data().dataset.at;
  if (at && !before) {
    const [lat, lon] = at.split(" ").map(Number);
    map.setView([lat, lon], 13);
    const text = `${lat} ${lon}`;
    L.marker([lat, lon], { icon: pin("overlap"), title: text, alt: text, ...apart })
      .addTo(map)
      .bindTooltip(words(text), { permanent: true, direction: "bottom", offset: [0, 8], className: "pin-name" });
  }
};

// Drawing by hand: an area, a hole, or a line that splits.
const begin = (what) => {
  drawing = what;
  map.pm.enableDraw(what === "split" ? "Line" : "Polygon", {
    ...editable,
    continueDrawing: false,
    tooltips: false,
    templineStyle: { color: css("--course") },
    hintlineStyle: { color: css("--course"), dashArray: "5 5" },
    pathOptions: { color: css("--course"), fillOpacity: 0.15 },
  });
  says(
    what === "split"
      ? "Draw a line across the area. Click its end twice to split. Escape stops."
      : "Click the corners one after the other, and the first again to end. Escape stops.",
  );
};
const stop = () => {
  drawing = "";
  says("");
  if (map && map.pm.globalDrawModeEnabled()) map.pm.disableDraw();
};
// A line splits a plane: all that lies to its one side, far beyond the map.
const sideOf = (line) => {
  const far = 40;
  const [a, b] = [line[0], line[1]];
  const [y, z] = [line[line.length - 2], line[line.length - 1]];
  const on = (from, to) => {
    const d = Math.hypot(to[0] - from[0], to[1] - from[1]) || 1;
    return [to[0] + ((to[0] - from[0]) / d) * far, to[1] + ((to[1] - from[1]) / d) * far];
  };
  const first = on(b, a),
    last = on(y, z);
  const turn = [last[1] - first[1], first[0] - last[0]];
  const d = Math.hypot(...turn) || 1;
  const away = [(turn[0] / d) * far * 2, (turn[1] / d) * far * 2];
  const beyond = ([x, y]) => [x + away[0], y + away[1]];
  return [[first, ...line, last, beyond(last), beyond(first), first]];
};
const drawn = (layer) => {
  const what = drawing,
    { zone, shape } = data().dataset;
  stop();
  if (what === "area") {
    kept = layer;
    sent({ do: "add", zone, ...valuesOf(layer) });
    layer.remove();
    return;
  }
  layer.remove();
  if (!chosen || chosen instanceof L.Circle) return;
  const area = polygonsOf(chosen);
  let parts = [];
  try {
    if (what === "hole") parts = [polygonClipping.difference(area, polygonsOf(layer))];
    else {
      const side = sideOf(rings(layer.getLatLngs()));
      parts = [polygonClipping.difference(area, side), polygonClipping.intersection(area, side)];
    }
  } catch {
    says("This cannot be worked out. Draw it a little differently.");
    return;
  }
  parts = parts.filter((p) => p.length);
  if (what === "split" && parts.length < 2) {
    says("The line does not cross the area, so nothing was split.");
    return;
  }
  sent({
    do: "replace",
    zone,
    marks: shape,
    areas: JSON.stringify(parts.map((p) => JSON.parse(geojson(p)))),
  });
};

const start = () => {
  map = L.map(element(), {
    zoomControl: false,
    attributionControl: false,
    worldCopyJump: true,
    minZoom: 2,
    maxZoom: 17,
    zoomSnap: 1,
    maxBoundsViscosity: 1,
    maxBounds: [
      [-86, -720],
      [86, 720],
    ],
  });
  map.getContainer().setAttribute("role", "application");
  credit = L.control.attribution({ position: "bottomright", prefix: false }).addTo(map).getContainer();
  const Closer = L.Control.extend({
    onAdd() {
      const box = L.DomUtil.create("div", "ground-zoom");
      for (const [text, name, does] of [
        ["Closer", "Zoom in", () => map.zoomIn()],
        ["Farther", "Zoom out", () => map.zoomOut()],
      ]) {
        const b = L.DomUtil.create("button", "btn", box);
        b.type = "button";
        b.textContent = text;
        b.setAttribute("aria-label", name);
        L.DomEvent.on(b, "click", (e) => {
          L.DomEvent.stop(e);
          does();
        });
      }
      L.DomEvent.disableClickPropagation(box);
      return box;
    },
  });
  new Closer({ position: "topleft" }).addTo(map);
  L.control.scale({ imperial: false, maxWidth: 120 }).addTo(map);
  layers = L.featureGroup().addTo(map);
  map.pm.setGlobalOptions({ layerGroup: layers, ...editable });
  map.on("pm:create", ({ layer }) => drawn(layer));
  map.on("click", ({ latlng }) => {
    if (drawing || map.pm.globalDragModeEnabled()) return;
    const p = latlng.wrap();
    says("");
    htmx.ajax("POST", "/till/destination", {
      source: "#till",
      swap: "none",
      values: { to: `${p.lat.toFixed(5)} ${p.lng.toFixed(5)}` },
    });
  });
  element().groundMap = map;
  window.addEventListener("resize", () => map.invalidateSize());
};

const open = () => {
  if (!element() || !data() || !window.L) return;
  if (!map) start();
  refresh(true);
};
document.addEventListener("click", (event) => {
  const button = event.target.closest("[data-draw], [data-do]");
  if (!button || !map) return;
  const what = button.dataset.draw || button.dataset.do;
  if (drawing === what) return stop();
  stop();
  if (what === "move") {
    if (!chosen) return;
    chosen.pm.disable();
    chosen.pm.enableLayerDrag();
    says("Drag the shape where it belongs.");
    return;
  }
  begin(what);
});
document.addEventListener("submit", (event) => {
  if (!event.target.matches("[data-join]")) return;
  event.preventDefault();
  const mark = event.target.elements.other.value;
  const other = now.shapes.find((s) => s.mark === mark);
  if (!chosen || !other) return;
  const polygons = other.areas.map((p) => p.map((r) => closed(r.map(([lat, lon]) => [lon, lat]))));
  const joined = polygonClipping.union(polygonsOf(chosen), polygons);
  sent({
    do: "replace",
    zone: data().dataset.zone,
    marks: `${data().dataset.shape} ${mark}`,
    areas: JSON.stringify([JSON.parse(geojson(joined))]),
  });
});
document.addEventListener("keydown", (event) => {
  if (event.key === "Escape" && drawing) stop();
});
document.addEventListener("htmx:afterSettle", ({ detail: { target } }) => {
  if (!element()) return;
  if (target && (target.id === "work" || target.id === "till" || target.closest("#till"))) open();
});
open();
