// The page on which an owner chooses how the element for pages looks: the choices lie in the page's address.
const look = document.getElementById("look");
const form = look.querySelector("form");
const element = document.getElementById("look-element");
const page = document.getElementById("look-page");
const colours = ["accent", "text", "muted", "border", "background", "error"];
const usual = { accent: "#1b5e8c", text: "#222222", muted: "#222222", border: "#767676", background: "#ffffff", error: "#a4262c", page: "#ffffff" };
let chosen = new URLSearchParams(location.search);

const colour = (name) => (/^#[0-9a-f]{6}$/.test(chosen.get(name) || "") ? chosen.get(name) : "");

// Relative luminance and contrast as WCAG 2.2 has them: https://www.w3.org/TR/WCAG22/#dfn-contrast-ratio
const luminance = (hex) => {
  const [r, g, b] = [1, 3, 5].map((i) => {
    const c = parseInt(hex.slice(i, i + 2), 16) / 255;
    return c <= 0.04045 ? c / 12.92 : ((c + 0.055) / 1.055) ** 2.4;
  });
  return 0.2126 * r + 0.7152 * g + 0.0722 * b;
};
const contrast = (a, b) => {
  const [x, y] = [luminance(a), luminance(b)];
  return (Math.max(x, y) + 0.05) / (Math.min(x, y) + 0.05);
};

function show() {
  for (const name of [...colours, "page"]) form.elements[name].value = colour(name) || usual[name];
  for (const name of colours) form.querySelector(`[data-reset=${name}]`).hidden = !colour(name);
  const radius = /^\d{1,2}$/.test(chosen.get("radius") || "") ? Math.min(24, Number(chosen.get("radius"))) : null;
  form.elements.radius.value = radius ?? 6;
  form.querySelector("output").value = `${radius ?? 6} px`;
  form.elements.lang.value = chosen.get("lang") || "";
  form.elements.unavailable.value = chosen.get("unavailable") === "allow" ? "allow" : "";

  const rules = colours.filter(colour).map((name) => `--diadrom-${name}: ${colour(name)};`);
  if (radius !== null) rules.push(`--diadrom-radius: ${radius}px;`);
  for (const name of [...colours, "radius"]) element.style.removeProperty("--diadrom-" + name);
  for (const rule of rules) element.style.setProperty(...rule.slice(0, -1).split(": "));
  const behind = colour("page") || usual.page;
  page.style.backgroundColor = behind;
  page.style.color = colour("page") && luminance(behind) < 0.18 ? "#ffffff" : "#222222";
  const lang = form.elements.lang.value;
  if ((element.getAttribute("lang") || "") !== (lang || "en")) element.setAttribute("lang", lang || "en");
  if (form.elements.unavailable.value) element.setAttribute("when-unavailable", "allow");
  else element.removeAttribute("when-unavailable");

  // Text of this size needs 4.5 to 1 (WCAG 2.2, 1.4.3), borders of fields 3 to 1 (1.4.11).
  const field = colour("background") || behind;
  const text = colour("text") || (page.style.color === "rgb(255, 255, 255)" ? "#ffffff" : usual.text);
  const said = [
    ["Text", text, field, 4.5], ["Text outside of the options", text, behind, 4.5],
    ["What is typed into fields", text, colour("background") || "#ffffff", 4.5], // a field is white where nothing is chosen
    ["Dates and hints", colour("muted") || text, field, 4.5], ["Hints of free delivery", colour("accent") || usual.accent, field, 4.5],
    ["Errors", colour("error") || usual.error, behind, 4.5], ["Borders", colour("border") || usual.border, behind, 3],
  ].map(([what, on, under, least]) => [what, contrast(on, under), least]).filter(([, is, least]) => is < least);
  document.getElementById("look-contrast").replaceChildren(...said.map(([what, is, least]) => {
    const item = document.createElement("li");
    item.textContent = `${what}: ${is.toFixed(1)} to 1 is hard to read; ${least} to 1 is needed.`;
    return item;
  }));

  const css = rules.length ? `<style>\ndiadrom-delivery { ${rules.join(" ")} }\n</style>\n` : "";
  document.getElementById("look-snippet").textContent = `<script src="${look.dataset.home}${look.dataset.script}" async crossorigin="anonymous"
  integrity="${look.dataset.integrity}"></script>
${css}<diadrom-delivery name="delivery" key="diadrom_pub_…"${lang ? ` lang="${lang}"` : ""}${form.elements.unavailable.value ? ` when-unavailable="allow"` : ""}
  lines='[{"sku": "…", "quantity": 1}]'></diadrom-delivery>`;
}

function choose(name, value) {
  if (value) chosen.set(name, value);
  else chosen.delete(name);
  const query = chosen.toString();
  history.replaceState(history.state, "", location.pathname + (query ? "?" + query : ""));
  show();
}

form.addEventListener("input", ({ target }) => choose(target.name, target.value));
form.addEventListener("click", ({ target }) => target.dataset.reset && choose(target.dataset.reset, ""));
form.addEventListener("reset", (event) => {
  event.preventDefault();
  chosen = new URLSearchParams();
  choose("page", "");
});
form.addEventListener("submit", (event) => event.preventDefault());
document.getElementById("look-copy").addEventListener("click", async () => {
  const said = document.getElementById("look-copied");
  const snippet = document.getElementById("look-snippet");
  try {
    await navigator.clipboard.writeText(snippet.textContent);
    said.textContent = "Copied.";
  } catch {
    getSelection().selectAllChildren(snippet);
    said.textContent = "Selected: copy it with the keyboard.";
  }
});
show();
