// Writes ckmeans.json, the optimal clusterings that simple-statistics 7.12.1 (ISC) finds of drawn sums of money:
//   npm install simple-statistics@7.12.1 && node ckmeans.mjs > ckmeans.json
import { ckmeans } from "simple-statistics";

let state = 20260302; // a linear congruential generator (Numerical Recipes), so that the sums are always the same
const draw = (n) => (state = (1664525 * state + 1013904223) % 4294967296, Math.floor(state / 4294967296 * n));
const cases = [];
for (let i = 0; i < 60; i++) {
  const n = 2 + draw(120), spread = [40, 400, 5000][draw(3)];
  const values = Array.from({ length: n }, () => 100 + draw(spread) + (draw(3) ? 0 : 3 * spread));
  const rows = Math.min(1 + draw(8), new Set(values).size);
  cases.push({ rows, values: values.map((v) => (v / 100).toFixed(2)), largest: ckmeans(values, rows).map((c) => (c[c.length - 1] / 100).toFixed(2)),
    clusters: ckmeans(values, rows).map((c) => c.length) });
}
console.log(JSON.stringify(cases));
