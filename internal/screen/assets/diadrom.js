// The Till's keys, walking through grids, and what stays open when the Till is requoted. All else is the server's.
(() => {
  const typing = (el) => el && (el.matches("input, textarea, select") || el.isContentEditable);
  const textual = (el) => el && el.matches && el.matches("textarea, input:not([type=checkbox]):not([type=radio]):not([type=hidden]):not([type=file])");

  document.addEventListener("alpine:init", () => {
    Alpine.data("bench", () => ({
      open: localStorage.getItem("till") !== "shut",
      init() { this.show(); },
      show() { document.body.classList.toggle("till-shut", !this.open); },
      toggle() {
        this.open = !this.open;
        localStorage.setItem("till", this.open ? "open" : "shut");
        this.show();
      },
      key(event) {
        if ((event.ctrlKey || event.metaKey) && !event.altKey) {
          // In a field that is being typed in, Ctrl+Z takes typing back; elsewhere the last edit.
          const key = event.key.toLowerCase(), redo = key === "y" || (key === "z" && event.shiftKey);
          if ((key !== "z" && key !== "y") || (textual(event.target) && event.target.value !== event.target.defaultValue)) return;
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

  // A grid is walked with the arrow keys and Enter; left and right leave a cell only from the ends of its text.
  const cellsOf = (row) => [...row.querySelectorAll(".cell")];
  const goTo = (cell) => { if (cell) { cell.focus(); if (cell.select) cell.select(); } };

  document.addEventListener("keydown", (event) => {
    const cell = event.target;
    if (!cell.matches || !cell.matches("[data-grid] .cell")) return;
    const row = cell.closest("tr"), cells = cellsOf(row), at = cells.indexOf(cell);
    const fromEnd = cells.length - at; // rows may lack a break point in front
    const beside = (r) => { const c = r ? cellsOf(r) : []; return c[c.length - fromEnd]; };
    const whole = cell.type === "checkbox" || (cell.selectionStart === 0 && cell.selectionEnd === cell.value.length);
    switch (event.key) {
      case "Enter":
        event.preventDefault();
        if (cell.closest(".bad")) htmx.trigger(cell, "change");
        else if (cell.matches("[data-goods] [aria-invalid], [data-rates] [aria-invalid]")) cell.dispatchEvent(new Event("change", { bubbles: true }));
        else if (beside(event.shiftKey ? row.previousElementSibling : row.nextElementSibling)) goTo(beside(event.shiftKey ? row.previousElementSibling : row.nextElementSibling));
        else cell.blur();
        break;
      case "ArrowDown": event.preventDefault(); goTo(beside(row.nextElementSibling)); break;
      case "ArrowUp": event.preventDefault(); goTo(beside(row.previousElementSibling)); break;
      case "ArrowLeft": if (whole || cell.selectionEnd === 0) { event.preventDefault(); goTo(cells[at - 1]); } break;
      case "ArrowRight": if (whole || cell.selectionStart === cell.value.length) { event.preventDefault(); goTo(cells[at + 1]); } break;
      case "Escape": if (cell.type !== "checkbox") { cell.value = cell.defaultValue; cell.select(); } break;
    }
  });

  // A cell of a grid is sent once for what is typed, and what is typed while it is under way goes after it, from what was saved by then.
  const underWay = new Map(); // ids of cells to what is sent for them
  const sendCell = async (cell, text, was, post) => {
    const before = underWay.get(cell.id);
    if (before ? before.text === text : text === was && !cell.matches("[aria-invalid]")) return;
    const mine = { text };
    underWay.set(cell.id, mine);
    mine.done = (async () => {
      if (before) await before.done;
      await post(document.getElementById(cell.id) || cell);
    })();
    try { await mine.done; } finally { if (underWay.get(cell.id) === mine) underWay.delete(cell.id); }
  };

  // The grid of goods: a cell is sent when it is left, a block from a spreadsheet as a whole.
  const goodsCell = (el) => el.closest && el.matches("[data-goods] .cell") ? el : null;
  document.addEventListener("change", (event) => {
    const cell = goodsCell(event.target);
    if (cell) {
      const text = cell.type === "checkbox" ? (cell.checked ? "yes" : "no") : cell.value;
      sendCell(cell, text, cell.dataset.was, (now) => htmx.ajax("POST", "/goods/cell", { source: now, target: now.parentElement, swap: "innerHTML",
        values: { sku: now.closest("tr").dataset.sku, field: now.dataset.f, was: now.dataset.was, text } }));
    } else if (event.target.matches("[data-pick-all]")) {
      for (const box of document.querySelectorAll("[data-goods] .pick [name=selected]")) box.checked = event.target.checked;
    } else if (event.target.matches("[data-send]")) event.target.form.requestSubmit();
  });
  document.addEventListener("paste", (event) => {
    const rated = event.target.closest && event.target.closest("[data-rates]"), block0 = event.clipboardData && event.clipboardData.getData("text/plain");
    if (rated && event.target.matches(".cell") && block0 && /[\t\n]/.test(block0.replace(/\r?\n$/, ""))) {
      event.preventDefault();
      const [at, zone] = placeOf(event.target);
      htmx.ajax("POST", rated.dataset.rates + "/paste", { source: event.target, target: "#work", swap: "innerHTML", values: { at, zone, block: block0 } });
      return;
    }
    const cell = goodsCell(event.target), block = event.clipboardData && event.clipboardData.getData("text/plain");
    if (!cell || !block || !/[\t\n]/.test(block.replace(/\r?\n$/, ""))) return;
    event.preventDefault();
    htmx.ajax("POST", "/goods/paste", { source: cell, target: "#work", swap: "innerHTML",
      values: { sku: cell.closest("tr").dataset.sku, field: cell.dataset.f, block } });
  });

  // Rate curves: pointing at one, or the arrow keys, read it; a break is moved by its mark.
  const frame = { left: 52, right: 852 }; // as the server draws it
  const curveOf = (el) => el && el.closest && el.closest("[data-curve]");
  const tidy = (x, step) => String(Math.max(step, Math.round(Math.round(x / step) * step * 1e6) / 1e6));
  const toX = (svg, x) => {
    const low = +svg.dataset.low, high = +svg.dataset.high;
    const share = "log" in svg.dataset ? Math.log(Math.max(x, low) / low) / Math.log(high / low) : x / high;
    return frame.left + share * (frame.right - frame.left);
  };
  const fromX = (svg, px) => {
    const low = +svg.dataset.low, high = +svg.dataset.high, share = Math.min(1, Math.max(0, (px - frame.left) / (frame.right - frame.left)));
    return "log" in svg.dataset ? low * Math.pow(high / low, share) : share * high;
  };
  const pointed = (svg, event) => { const box = svg.getBoundingClientRect(); return fromX(svg, (event.clientX - box.left) / box.width * 860); };
  // On a logarithmic scale a step is a hundredth of where it is taken.
  const stepAt = (svg, x) => "log" in svg.dataset ? Math.pow(10, Math.floor(Math.log10(Math.max(x, 1e-6))) - 1) : +svg.dataset.step;
  let readAt = 0, reading = 0;
  const readCurve = (svg, x) => {
    const mine = ++reading, probe = svg.querySelector(".probe"), at = tidy(x, stepAt(svg, x));
    readAt = +at;
    probe.setAttribute("visibility", "visible");
    for (const end of ["x1", "x2"]) probe.setAttribute(end, toX(svg, readAt));
    setTimeout(async () => {
      if (mine !== reading) return;
      const answer = await fetch(`${svg.dataset.curve}/read?x=${at}`, { headers: { "HX-Request": "true" } });
      if (mine === reading && answer.ok) svg.parentElement.querySelector(".curve-read").innerHTML = await answer.text();
    }, 60);
  };
  const setBreak = (svg, handle, at) => htmx.ajax("POST", svg.dataset.curve + "/at", { source: handle, target: "#work", swap: "innerHTML", values: { was: handle.dataset.at, at, whole: "1" } })
    .then(() => { const again = document.getElementById(handle.id); if (again) again.focus(); });
  let moving = null;
  document.addEventListener("pointerdown", (event) => {
    const handle = event.target.closest && event.target.closest(".handle"), svg = curveOf(handle);
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
      moving.handle.setAttribute("transform", `translate(${toX(moving.svg, +moving.at) - toX(moving.svg, +moving.handle.dataset.at)})`);
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
    const svg = curveOf(event.target), step = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1 }[event.key];
    if (!svg || !step) return;
    event.preventDefault();
    const handle = event.target.closest(".handle");
    if (!handle) return readCurve(svg, Math.min(+svg.dataset.high, readAt + step * stepAt(svg, readAt)));
    const now = +handle.dataset.at;
    setBreak(svg, handle, tidy(now + step * stepAt(svg, now), stepAt(svg, now)));
  });

  // Price lists: Shift with the arrow keys, or the mouse, marks a range; it is copied for a spreadsheet, and Delete empties it.
  const placeOf = (cell) => {
    const row = cell.closest("tr"), at = row.dataset.at;
    if (cell.matches(".at")) return [at, ""];
    return [at, cell.closest("table").tHead.rows[0].cells[cell.closest("td").cellIndex].dataset.zone];
  };
  const wasOf = (cell) => "was" in cell.dataset ? cell.dataset.was : cell.defaultValue;
  document.addEventListener("change", (event) => {
    const cell = event.target, table = cell.closest && cell.closest("[data-rates]");
    if (!table || !cell.matches("td .cell")) return;
    const text = cell.value;
    sendCell(cell, text, wasOf(cell), (now) => {
      const [at, zone] = placeOf(now);
      return htmx.ajax("POST", table.dataset.rates + "/cell", { source: now, target: now.parentElement, swap: "innerHTML",
        values: { at, zone, was: wasOf(now), text, dom: now.id, label: now.getAttribute("aria-label") } });
    });
  });
  const rateCells = (table) => [...table.tBodies[0].rows].map((row) => [...row.querySelectorAll("td .cell")]);
  const spot = (table, cell) => {
    const rows = rateCells(table);
    for (let r = 0; r < rows.length; r++) if (rows[r].includes(cell)) return [r, rows[r].indexOf(cell)];
    return null;
  };
  let anchor = null, reach = null;
  const marked = (table) => [...table.querySelectorAll(".cell.mark")];
  const unmark = () => { for (const c of document.querySelectorAll(".cell.mark")) c.classList.remove("mark"); anchor = reach = null; };
  const markTo = (table, to) => {
    for (const c of marked(table)) c.classList.remove("mark");
    reach = to;
    const rows = rateCells(table), [r1, r2] = [anchor[0], to[0]].sort((a, b) => a - b), [c1, c2] = [anchor[1], to[1]].sort((a, b) => a - b);
    for (let r = r1; r <= r2; r++) for (let c = c1; c <= c2; c++) rows[r][c].classList.add("mark");
  };
  document.addEventListener("keydown", (event) => {
    const cell = event.target, table = cell.closest && cell.closest("[data-rates]");
    if (!table || !cell.matches("td .cell")) return;
    const step = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1] }[event.key];
    if (step && event.shiftKey) {
      const rows = rateCells(table);
      if (!anchor) { anchor = spot(table, cell); reach = anchor; }
      markTo(table, [Math.max(0, Math.min(rows.length - 1, reach[0] + step[0])), Math.max(0, Math.min(rows[0].length - 1, reach[1] + step[1]))]);
      event.preventDefault();
      event.stopPropagation();
    } else if (event.key === "Delete" && marked(table).length > 1) {
      event.preventDefault();
      const rows = rateCells(table).map((r) => r.filter((c) => c.matches(".mark"))).filter((r) => r.length), [at, zone] = placeOf(rows[0][0]);
      htmx.ajax("POST", table.dataset.rates + "/paste", { source: cell, target: "#work", swap: "innerHTML",
        values: { at, zone, block: rows.map((r) => r.map(() => "no").join("\t")).join("\n") } });
      unmark();
    } else if (!event.ctrlKey && !event.metaKey && event.key !== "Shift") unmark();
  }, true);
  document.addEventListener("mousedown", (event) => {
    const cell = event.target, table = cell.closest && cell.closest("[data-rates]");
    if (table && cell.matches("td .cell") && event.shiftKey && spot(table, document.activeElement)) {
      event.preventDefault();
      if (!anchor) anchor = spot(table, document.activeElement);
      markTo(table, spot(table, cell));
    } else unmark();
  });
  document.addEventListener("copy", (event) => {
    const table = event.target.closest && event.target.closest("[data-rates]");
    if (!table || marked(table).length < 2) return;
    event.preventDefault();
    const rows = rateCells(table).map((r) => r.filter((c) => c.matches(".mark")).map((c) => c.value)).filter((r) => r.length);
    event.clipboardData.setData("text/plain", rows.map((r) => r.join("\t")).join("\n") + "\n");
  });

  // Lists that are put in order: a row is dragged by its grip, or moved by it with the arrow keys.
  const movable = (el) => el && el.closest && el.closest("[data-sort] > li");
  const move = (row, values) => htmx.ajax("POST", `${row.parentElement.dataset.sort}/${row.dataset.id}/move`, { source: row, target: "#work", swap: "innerHTML", values })
    .then(() => { const grip = document.getElementById("grip-" + row.dataset.id); if (grip) grip.focus(); });
  let dragged = null;
  document.addEventListener("keydown", (event) => {
    if (!event.target.matches || !event.target.matches(".grip") || !["ArrowUp", "ArrowDown"].includes(event.key)) return;
    event.preventDefault();
    move(movable(event.target), { step: event.key === "ArrowUp" ? "up" : "down" });
  });
  document.addEventListener("dragstart", (event) => {
    if (!event.target.matches || !event.target.matches(".grip")) return;
    dragged = movable(event.target);
    event.dataTransfer.effectAllowed = "move";
    event.dataTransfer.setDragImage(dragged, 10, 10);
  });
  document.addEventListener("dragover", (event) => {
    if (!dragged) return;
    const over = movable(event.target);
    for (const row of document.querySelectorAll("[data-sort] > li.over, [data-sort] > li.over-end")) row.classList.remove("over", "over-end");
    if (over || event.target.closest("[data-sort]")) event.preventDefault();
    if (over && over !== dragged) over.classList.add(lower(over, event) ? "over-end" : "over");
  });
  // A row is dropped before the one under it, or behind it in its lower half.
  const lower = (row, event) => { const box = row.getBoundingClientRect(); return event.clientY > box.top + box.height / 2; };
  document.addEventListener("drop", (event) => {
    if (!dragged) return;
    event.preventDefault();
    const over = movable(event.target);
    if (!over || over === dragged) return;
    const before = lower(over, event) ? over.nextElementSibling : over;
    if (before !== dragged) move(dragged, { before: before ? before.dataset.id : "" });
  });
  document.addEventListener("dragend", () => {
    dragged = null;
    for (const row of document.querySelectorAll("[data-sort] > li.over, [data-sort] > li.over-end")) row.classList.remove("over", "over-end");
  });

  // The code strip is one stop for Tab; arrow keys walk along its stretches.
  document.addEventListener("keydown", (event) => {
    const bar = event.target.closest && event.target.closest("[data-strip] .bar");
    const step = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
    if (!bar || !(step || event.key === "Home" || event.key === "End")) return;
    event.preventDefault();
    const bars = [...bar.closest("svg").querySelectorAll(".bar")];
    const to = event.key === "Home" ? bars[0] : event.key === "End" ? bars[bars.length - 1] : bars[bars.indexOf(bar) + step];
    if (!to) return;
    bar.setAttribute("tabindex", "-1");
    to.setAttribute("tabindex", "0");
    to.focus();
  });

  // What may be meant is offered under the field while it is typed. Arrow keys choose, Enter takes the chosen one.
  const offers = document.createElement("ul");
  offers.id = "offers";
  offers.setAttribute("role", "listbox");
  offers.setAttribute("aria-label", "Suggestions");
  offers.hidden = true;
  let offeredTo = null, asking = 0, waiting = 0;
  const chosen = () => offers.querySelector("[aria-selected=true]");
  const shut = () => {
    clearTimeout(waiting);
    asking++;
    offers.hidden = true;
    if (offeredTo) { offeredTo.removeAttribute("aria-activedescendant"); offeredTo.removeAttribute("aria-controls"); }
    offeredTo = null;
  };
  const choose = (option) => {
    for (const o of offers.children) o.setAttribute("aria-selected", String(o === option));
    if (option) { offeredTo.setAttribute("aria-activedescendant", option.id); option.scrollIntoView({ block: "nearest" }); }
    else offeredTo.removeAttribute("aria-activedescendant");
  };
  const takeOffer = (option) => {
    const field = offeredTo;
    field.value = option.dataset.text;
    shut();
    field.focus();
    field.setSelectionRange(field.value.length, field.value.length);
    if (field.matches("#till-to, #till-add")) field.form.requestSubmit();
  };
  const offer = async (field) => {
    const mine = ++asking, url = new URL(field.dataset.suggest, location.href);
    url.searchParams.set("text", field.value);
    if (field.value.length > 2000) return shut();
    try {
      const answer = await fetch(url, { headers: { "HX-Request": "true" } });
      const html = answer.ok ? await answer.text() : "";
      if (mine !== asking || document.activeElement !== field) return;
      offers.innerHTML = html;
    } catch { return; }
    if (!offers.children.length) return shut();
    if (!offers.isConnected) document.body.append(offers);
    const box = field.getBoundingClientRect();
    offers.style.left = box.left + scrollX + "px";
    offers.style.top = box.bottom + scrollY + 2 + "px";
    offers.style.minWidth = Math.max(box.width, 220) + "px";
    offers.hidden = false;
    offers.style.left = Math.max(4, Math.min(box.left + scrollX, document.documentElement.clientWidth - offers.offsetWidth - 8)) + "px";
    offeredTo = field;
    field.setAttribute("aria-controls", "offers");
  };
  const offering = (event) => event.target.matches && event.target.matches("[data-suggest]");
  document.addEventListener("input", (event) => {
    if (!offering(event)) return;
    clearTimeout(waiting);
    waiting = setTimeout(offer, 120, event.target);
  });
  document.addEventListener("focusout", (event) => { if (event.target === offeredTo || offering(event)) shut(); });
  document.addEventListener("keydown", (event) => {
    if (!offering(event)) return;
    if (event.target !== offeredTo) {
      if (event.key === "ArrowDown") { event.preventDefault(); offer(event.target); }
      else if (event.key === "Enter") shut();
      return;
    }
    const list = [...offers.children], at = list.indexOf(chosen());
    if (event.key === "ArrowDown") choose(list[Math.min(at + 1, list.length - 1)]);
    else if (event.key === "ArrowUp") choose(list[at - 1]);
    else if (event.key === "Escape") shut();
    else if (event.key === "Enter" && chosen()) { event.stopPropagation(); takeOffer(chosen()); }
    else { if (event.key === "Enter") shut(); return; }
    event.preventDefault();
  }, true);
  offers.addEventListener("mousedown", (event) => {
    event.preventDefault();
    const option = event.target.closest("[role=option]");
    if (option) takeOffer(option);
  });

  // Fields that take a paste of many lines, but are typed as one: Enter sends them.
  document.addEventListener("keydown", (event) => {
    const field = event.target;
    if (event.key !== "Enter" || !field.matches || !field.matches("textarea[data-line]")) return;
    event.preventDefault();
    if (field.form) field.form.requestSubmit();
    else if (field.value !== field.defaultValue) field.blur();
    else htmx.trigger(field, "change");
  });

  // The Till is replaced as a whole: what was unfolded there is unfolded again.
  let unfolded = new Set();
  const remember = () => { unfolded = new Set([...document.querySelectorAll("#till details[open]")].map((d) => d.dataset.method || "refused")); };
  const unfold = () => document.querySelectorAll("#till details").forEach((d) => { if (unfolded.has(d.dataset.method || "refused")) d.open = true; });
  for (const name of ["htmx:beforeSwap", "htmx:oobBeforeSwap"]) document.addEventListener(name, remember);
  for (const name of ["htmx:afterSwap", "htmx:oobAfterSwap"]) document.addEventListener(name, unfold);

  // What is typed and not answered yet outlives every swap, of the work and out of band: its field comes anew from the server, and gets
  // back its text, the cursor and the focus. A field's own answer stands, unless more was typed since it was sent.
  const original = (f) => {
    if (f.matches("select")) return ([...f.options].find((o) => o.defaultSelected) || f.options[0] || {}).value;
    return f.type === "checkbox" ? f.defaultChecked : f.defaultValue;
  };
  const current = (f) => f.type === "checkbox" ? f.checked : f.value;
  const sent = new WeakMap(), restored = new WeakSet(); // fields, with the value that was sent last; fields whose typing was put back
  let answered = null; // the element whose answer is swapped now
  document.addEventListener("htmx:beforeRequest", (event) => {
    const { elt, xhr } = event.detail;
    for (const f of elt.matches("form") ? elt.elements : [elt]) if (typing(f)) sent.set(f, current(f));
    xhr.addEventListener("readystatechange", () => { if (xhr.readyState === 4) answered = elt; });
  });
  const own = (f) => answered && (answered === f || (answered.id && answered.id === f.id) || answered.contains(f));
  let kept = [];
  const keep = (inside) => {
    for (const f of inside.querySelectorAll("input[id], textarea[id], select[id]")) {
      if (["hidden", "file", "submit", "button"].includes(f.type)) continue;
      const focused = f === document.activeElement;
      const unsent = current(f) !== original(f) && !(own(f) && sent.get(f) === current(f));
      const all = focused && f.value !== "" && String(getSelection()) === f.value; // numbers do not tell where their cursor is
      if (unsent || focused) kept.push({ id: f.id, unsent, focused, all, value: current(f), sent: sent.get(f), from: textual(f) ? f.selectionStart : null, to: textual(f) ? f.selectionEnd : null });
    }
  };
  const putBack = () => {
    for (const k of kept) {
      const f = document.getElementById(k.id);
      if (!f || f.disabled) continue;
      if (k.unsent && current(f) !== k.value) {
        if (f.type === "checkbox") f.checked = k.value; else f.value = k.value;
        if (k.sent !== undefined) sent.set(f, k.sent);
        restored.add(f);
      }
      if (k.unsent && !k.focused) tellChange(f); // it was left, and what told of that is gone
      if (k.focused && document.activeElement !== f && (document.activeElement === document.body || !document.activeElement)) f.focus({ preventScroll: true });
      if (k.all) f.select();
      else if (k.focused && k.from !== null && textual(f)) { try { f.setSelectionRange(k.from, k.to); } catch { /* numbers have no cursor that can be set */ } }
    }
    kept = [];
  };
  document.addEventListener("htmx:beforeSwap", (event) => { if (event.detail.shouldSwap) keep(event.detail.target); });
  document.addEventListener("htmx:oobBeforeSwap", (event) => keep(event.detail.target));
  for (const name of ["htmx:afterSwap", "htmx:oobAfterSwap", "htmx:afterSettle"]) document.addEventListener(name, putBack);
  // A browser tells of a change of a field that was typed into: not of one whose text was put back.
  document.addEventListener("change", (event) => restored.delete(event.target), true);
  const tellChange = (f) => {
    if (!restored.has(f)) return;
    restored.delete(f);
    if (current(f) !== original(f) && sent.get(f) !== current(f)) f.dispatchEvent(new Event("change", { bubbles: true }));
  };
  document.addEventListener("focusout", (event) => tellChange(event.target));
  document.addEventListener("keydown", (event) => { if (event.key === "Enter" && textual(event.target)) tellChange(event.target); });

  // Where the element that asked was replaced while its answer was under way, the answer goes to what stands in its place now.
  const late = (elt, { xhr, target, etc }) => {
    const names = xhr.getResponseHeader("HX-Trigger"), retarget = xhr.status >= 400 && xhr.status !== 422 ? "#notice" : xhr.getResponseHeader("HX-Retarget");
    let place = null, style = xhr.getResponseHeader("HX-Reswap") || etc.swapOverride || elt.closest("[hx-swap]")?.getAttribute("hx-swap") || "innerHTML";
    if (retarget) {
      place = document.querySelector(retarget);
      style = "innerHTML";
    } else if (target.isConnected) place = target;
    else if (elt.id && target.contains(elt)) {
      place = document.getElementById(elt.id);
      for (let up = elt; place && up !== target; up = up.parentElement) place = place.parentElement;
    }
    answered = elt;
    if (place) keep(place);
    htmx.swap(place || document.body, xhr.responseText, { swapStyle: place ? style.split(" ")[0] : "none" });
    putBack();
    if (names) htmx.trigger(document.body, names);
  };
  document.addEventListener("htmx:beforeRequest", ({ detail: { elt, xhr } }) => {
    const answer = (event) => {
      if (event.detail.xhr !== xhr) return;
      elt.removeEventListener("htmx:beforeOnLoad", answer);
      if (elt.isConnected) return;
      event.preventDefault();
      late(elt, event.detail);
    };
    elt.addEventListener("htmx:beforeOnLoad", answer);
  });

  // The first cut-off is one by the clock of who types it.
  document.addEventListener("htmx:configRequest", (event) => {
    if (event.detail.path === "/methods/dispatch") event.detail.parameters.browser_zone = Intl.DateTimeFormat().resolvedOptions().timeZone;
  });

  // A message about a failed exchange goes when the next one succeeds.
  document.addEventListener("htmx:afterRequest", (event) => {
    const notice = document.getElementById("notice");
    if (notice && event.detail.successful) notice.replaceChildren();
  });
  document.addEventListener("htmx:sendError", () => {
    const notice = document.getElementById("notice");
    if (notice) notice.textContent = "The shop cannot be reached: this change is not saved. It is still in its field; change it again when the shop is back.";
  });
})();
