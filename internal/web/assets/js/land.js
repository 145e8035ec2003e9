// Land and water as a map shows them: the server sends tiles of numbers, and a canvas draws each.

// Water has lines along its shores, so that it is told from land whatever colour a zone there has.
const sea = "#eaf0ef",
  shore = [
    [13, "#cddade"],
    [10.6, "#eaf0ef"],
    [7.6, "#bccdd3"],
    [5.4, "#eaf0ef"],
    [2.6, "#9fb6be"],
  ],
  ground = "#f6f1e3",
  coast = "#6f7c7c",
  lakes = "#dbe6e7";
export const size = 256;
export const perPixel = 4;

const got = new Map(); // tiles of numbers, by their path
export const get = (path) => {
  if (!got.has(path)) {
    if (got.size > 600) got.delete(got.keys().next().value);
    got.set(
      path,
      fetch(path).then((r) => (r.ok ? r.json() : null)).catch(() => {
        got.delete(path);
        return null;
      }),
    );
  }
  return got.get(path);
};
export const trace = (c, rings) => {
  for (const ring of rings) {
    for (let i = 0; i < ring.length; i += 2) {
      if (i) c.lineTo(ring[i] / perPixel, ring[i + 1] / perPixel);
      else c.moveTo(ring[i] / perPixel, ring[i + 1] / perPixel);
    }
    c.closePath();
  }
};
export const fill = (c, rings) => {
  c.beginPath();
  trace(c, rings);
  c.fill("evenodd");
};
export const canvas = () => {
  const e = document.createElement("canvas");
  const dense = Math.min(2, window.devicePixelRatio || 1);
  e.width = e.height = size * dense;
  const c = e.getContext("2d");
  c.scale(dense, dense);
  return [e, c];
};

export const drawLand = (c, base, zoom) => {
  c.fillStyle = sea;
  c.fillRect(0, 0, size, size);
  c.lineJoin = "round";
  for (const [width, colour] of zoom < 6 ? [] : shore) {
    c.lineWidth = width;
    c.strokeStyle = colour;
    for (const [, rings] of base.land) {
      c.beginPath();
      trace(c, rings);
      c.stroke();
    }
  }
  c.fillStyle = ground;
  for (const [, rings] of base.land) fill(c, rings);
};
export const drawCoast = (c, base) => {
  c.fillStyle = lakes;
  fill(c, base.lakes);
  c.strokeStyle = coast;
  c.lineWidth = 0.6;
  for (const [, rings] of base.land) {
    c.beginPath();
    trace(c, rings);
    c.stroke();
  }
};
// The land as a layer of its own, of a version of the atlas.
export const landLayer = (version) => {
  const Land = L.GridLayer.extend({
    createTile(at, done) {
      const [e, c] = canvas();
      const n = 2 ** at.z,
        x = ((at.x % n) + n) % n;
      get(`/map/land/${version}/${at.z}/${x}/${at.y}`).then((base) => {
        if (base) {
          drawLand(c, base, at.z);
          drawCoast(c, base);
        }
        done(base ? null : new Error("no tile"), e);
      });
      return e;
    },
  });
  return new Land({ tileSize: size, maxZoom: 17, minZoom: 2 });
};

// Text as a label: what is typed is never read as HTML.
export const words = (...lines) => {
  const box = document.createElement("div");
  for (const line of lines) box.appendChild(document.createElement("div")).textContent = line;
  return box;
};
