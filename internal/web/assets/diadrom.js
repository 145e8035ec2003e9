// The scripts of the screens, each with its own concern. All else is the server's.

import "./js/till.js";
import "./js/grid.js";
import "./js/past.js";
import "./js/products.js";
import "./js/curve.js";
import "./js/rates.js";
import "./js/sorting.js";
import "./js/strip.js";
import "./js/suggestions.js";
import "./js/lines.js";
import "./js/swaps.js";
import "./js/leaving.js";
import "./js/notices.js";
import "./js/parcels.js";
import "./js/warned.js";

// Where any of this does not load, the page says that nothing is saved there.
const whole = () => window.htmx && document.getElementById("not-whole")?.remove();
if (window.Alpine) whole();
else document.addEventListener("alpine:initialized", whole);
