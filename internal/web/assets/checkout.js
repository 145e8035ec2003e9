// The checkout as a buyer meets it. It knows no price: it asks the API that every shop asks, POST /api/v1/quotes.
document.addEventListener("alpine:init", () => {
  Alpine.data("checkout", () => {
    const start = JSON.parse(document.getElementById("start").textContent);
    const unit = 10n ** BigInt(start.digits);
    const coins = (text) => {
      // "12.30" as 1230n: money is exact
      const [whole, part = ""] = text.split(".");
      return BigInt(whole + part.padEnd(start.digits, "0"));
    };
    const written = (n) =>
      start.digits ? `${n / unit}.${String(n % unit).padStart(start.digits, "0")}` : String(n);
    const format = new Intl.NumberFormat("en", {
      style: "currency",
      currency: start.currency,
      minimumFractionDigits: start.digits,
      maximumFractionDigits: start.digits,
    });
    const shown = (form) => ({ ...form, short: form.shape.length < 24 ? form.shape : "" });
    const blank = (form) => ({
      name: "",
      country: form.country,
      region: "",
      city: "",
      postcode: "",
      street: "",
      form: shown(form),
    });
    let turn = 0,
      soon = 0;
    return {
      lines: start.lines,
      labels: start.labels,
      coupons: start.coupons,
      wanted: "",
      unknown: "",
      first: { ...blank(start.form), ...start.to, form: shown(start.form) },
      second: blank(start.form),
      other: false,
      narrow: false,
      options: start.options,
      address: start.address,
      answer: null,
      rows: [], // of ways: those that are offered, and places for those that carriers may name
      problem: "",
      asking: false,
      way: "",
      at: "", // where it is collected
      picked: false,
      tried: false,
      slips: {},
      placed: "",

      init() {
        this.$watch("way", () => {
          this.placed = "";
          this.slips = {};
          this.shown();
        });
        this.$watch("at", () => {
          this.placed = "";
          this.slips = {};
          this.ask();
        });
        this.ask();
      },
      settle() {
        // the owner has chosen otherwise
        const set = document.getElementById("choices").dataset;
        this.options = set.options;
        this.address = set.address;
        this.ask();
      },
      money(text) {
        return format.format(text);
      },
      counts(line) {
        return /^[1-9]\d{0,6}$/.test(String(line.quantity)) && Number(line.quantity) <= 1000000;
      },
      lineSum(line) {
        return this.counts(line) ? this.money(written(coins(line.price) * BigInt(line.quantity))) : "";
      },
      get badCount() {
        return this.lines.every((l) => this.counts(l))
          ? ""
          : "A quantity is a whole number from 1 to 1000000.";
      },
      get sum() {
        return this.lines.reduce(
          (n, l) => n + (this.counts(l) ? coins(l.price) * BigInt(l.quantity) : 0n),
          0n,
        );
      },
      get goods() {
        return this.money(written(this.sum));
      },

      get destination() {
        return this.address === "billing" && this.other ? "second" : "first";
      },
      get firstHead() {
        return {
          delivery: "Where it goes",
          billing: "Who pays",
          only_billing: "Who pays, and where it goes",
        }[this.address];
      },
      get otherSays() {
        return this.address === "billing" ? "It goes to another address" : "The bill goes to another address";
      },
      get secondHead() {
        return this.address === "billing" ? "Where it goes" : "Who pays";
      },

      changed() {
        this.placed = "";
        clearTimeout(soon);
        soon = setTimeout(() => this.ask(), 150);
      },
      async moved(which) {
        const to = this[which],
          country = to.country;
        const got = await fetch(`/api/v1/address-forms/${encodeURIComponent(country)}?of=${start.of}`);
        const form = got.ok ? shown(await got.json()) : to.form;
        if (to.country !== country) return; // while a name is typed, other countries are passed on the way
        to.form = form;
        if (!form.regions.some((r) => r.code === to.region)) to.region = "";
        this.changed();
      },
      takeOut(i) {
        this.lines.splice(i, 1);
        this.changed();
      },
      async putIn() {
        this.unknown = "";
        const text = (this.wanted = document.getElementById("put").value);
        if (!text.trim()) return;
        const got = await fetch(`/checkout/goods?of=${start.of}&text=${encodeURIComponent(text)}`);
        const line = await got.json();
        if (!got.ok) {
          this.unknown = line.message;
          return;
        }
        const there = this.lines.find((l) => l.sku === line.sku);
        if (there) there.quantity = Number(there.quantity) + 1;
        else this.lines.push(line);
        this.wanted = "";
        this.changed();
      },

      // What the basket is quoted by.
      get request() {
        const to = this[this.destination];
        return JSON.stringify({
          to: {
            country: to.country,
            region: to.region,
            city: to.city,
            postcode: to.form.postcode ? to.postcode : "",
            street: to.street,
          },
          lines: this.lines.map((l) =>
            l.sku
              ? { sku: l.sku, quantity: Number(l.quantity) }
              : { name: l.name, price: l.price, weight: l.weight, quantity: Number(l.quantity) },
          ),
          coupons: this.coupons
            .split(",")
            .map((c) => c.trim())
            .filter(Boolean),
          customer: start.customer,
          group: start.group,
          at: new Date().toISOString(),
          point: this.at,
          parcels: true,
          checkout: true,
          language: "en",
        });
      },
      async ask() {
        if (this.badCount) return;
        const mine = ++turn;
        this.asking = true;
        const request = this.request;
        const first = await this.quoted("&carriers=later", request);
        if (mine !== turn) return;
        this.take(first, null);
        if (this.answer && this.answer.pending) {
          // The shop's own ways are there at once; those of carriers take the places that are kept for them.
          const then = await this.quoted("", request);
          if (mine !== turn) return;
          const held = this.hold();
          this.take(then, this.answer);
          this.$nextTick(held);
        }
        this.asking = false;
        if (!this.answer) return;
        this.unpack();
        this.shown();
        if (this.tried) this.check();
      },
      async quoted(more, request) {
        try {
          const got = await fetch("/api/v1/quotes?of=" + start.of + more, {
            method: "POST",
            headers: { "Content-Type": "application/json" },
            body: request,
          });
          const body = await got.json();
          return got.ok
            ? { answer: body, problem: "" }
            : { answer: null, problem: (body.faults || []).map((f) => f.message).join("; ") || body.detail || body.title };
        } catch {
          return { answer: null, problem: "Delivery prices are not available at the moment. Please try again." };
        }
      },
      // Shows an answer; before is the one that did not wait for carriers, whose rows keep their places.
      take({ answer, problem }, before) {
        this.answer = answer;
        this.problem = problem;
        this.rows = [];
        if (!answer) return;
        for (const o of answer.options) o.key = o.service ? o.method + "/" + o.service : o.method;
        const waits = answer.pending || [],
          had = (before && before.pending) || [];
        const slot = (p, i, state) => ({
          key: `${p.method} ${i}`,
          slot: state,
          method: p.method,
          label: state === "asked" ? p.label : "",
          offer: { points: [], hint: "" },
          kind: "carrier",
        });
        const room = (at) => {
          for (const p of waits)
            if (p.before === at) for (let i = 0; i < p.services; i++) this.rows.push(slot(p, i, "asked"));
        };
        answer.options.forEach((o, i) => {
          room(i);
          this.rows.push(o);
        });
        room(answer.options.length);
        // A service that has no price leaves its place empty, so that no row moves under the pointer.
        for (const p of had) {
          const mine = this.rows.filter((o) => o.method === p.method).length;
          let at = this.rows.findLastIndex((o) => o.method === p.method) + 1;
          if (!mine) {
            const own = before.options.slice(0, p.before).map((o) => o.key);
            at = this.rows.findLastIndex((o) => own.includes(o.key) || o.slot === "left") + 1;
          }
          for (let i = mine; i < p.services; i++) this.rows.splice(at++, 0, slot(p, i, "left"));
        }
        const has = (key) => answer.options.some((o) => o.key === key);
        const asked = waits.some((p) => this.way.split("/")[0] === p.method);
        if (!has(this.way) && !asked) {
          const set = answer.options.find((o) => o.offer.preselected);
          this.way = set ? set.key : answer.options.length === 1 && !waits.length ? answer.options[0].key : "";
        }
      },
      rowClass(o) {
        const tall = start.parcelled[o.method] ? "tall " : "";
        return tall + (o.slot ? "slot " + o.slot : o.key === this.way ? "on" : "");
      },
      // Keeps the way under the pointer, or else the chosen one, where it is while rows above it change their height.
      hold() {
        const row = document.querySelector(".delivery .way:hover") || document.querySelector(".delivery .way.on");
        const key = row && row.querySelector("input") && row.querySelector("input").value,
          top = row && row.getBoundingClientRect().top;
        return () => {
          const now = [...document.querySelectorAll(".delivery .way input")].find((i) => i.value === key);
          if (now) window.scrollBy(0, now.closest(".way").getBoundingClientRect().top - top);
        };
      },
      // Where the chosen way is collected.
      get points() {
        return this.chosen.length ? this.chosen[0].offer.points : [];
      },
      get collected() {
        if (!this.placed) return [];
        return this.points.filter((p) => p.location === this.at || this.points.length === 1);
      },
      shown() {
        const points = this.points;
        if (points.length && this.at && !points.some((p) => p.location === this.at)) this.at = "";
        window.dispatchEvent(
          new CustomEvent("points-shown", {
            detail: { points: JSON.parse(JSON.stringify(points)), land: start.land },
          }),
        );
      },
      picks(event) {
        this.at = event.detail;
      },
      alone(o) {
        return o.offer.points.length === 1 ? o.offer.points : [];
      },
      several(o) {
        return o.offer.points.length > 1;
      },
      severalSays(o) {
        const points = o.offer.points;
        if (points.length < 2) return "";
        const first = points[0].distance === null ? "such as" : "the nearest";
        return `${points.length} places to collect it, ${first} ${this.point(points[0])}`;
      },
      readyAt(p) {
        return this.when({ kind: "pickup", dates: p.dates || null, days: p.days || null });
      },
      geo(p) {
        return `geo:${p.lat},${p.lon}`;
      },
      collectSays(p) {
        return `You collect it at ${p.name}${p.address ? ", " + p.address : ""}.`;
      },

      get shows() {
        return !!this.answer && !this.answer.checkout.wait && this.rows.some((o) => o.slot !== "left");
      },
      get offers() {
        return this.shows ? this.rows.filter((o) => !o.slot) : [];
      },
      get chosen() {
        return this.offers.filter((o) => o.key === this.way);
      },
      get told() {
        return this.shows ? this.answer.refused.filter((r) => r.text) : [];
      },
      get nothing() {
        if (this.problem) return this.problem;
        return this.answer && !this.answer.checkout.wait && this.lines.length ? this.answer.message : "";
      },
      get says() {
        const a = this.answer;
        if (!a || this.nothing) return "";
        const lacks = a.checkout.lacks
          .map((f) => ({ postcode: "postcode", city: "town", region: "state or region" })[f])
          .join(" and the ");
        if (a.checkout.wait)
          return lacks
            ? `The prices come once the ${lacks} is there.`
            : "The prices come once the address is right.";
        if (!this.lines.length) return "";
        if (!a.needs_shipping) return "Nothing in this basket has to be delivered.";
        return lacks ? `Prices may change with the ${lacks}.` : "";
      },
      when(o) {
        if (o.slot) return o.slot === "asked" ? "the carrier is being asked for its price" : "";
        if (o.dates) return (o.kind === "pickup" ? "Ready " : "") + o.dates.text;
        if (!o.days) return "";
        const { min, max, business } = o.days,
          days = max === 1 ? "day" : "days";
        if (max === 0) return "the same day";
        if (min === 0) return `within ${max} ${business ? "working " : ""}${days}`;
        return `${min === max ? min : min + " to " + max} ${business ? "working " : ""}${days}`;
      },
      hint(o) {
        return o.offer.hint;
      },
      // "2 parcels: Large box 18.2 kg, Small box 1.1 kg"; nothing where the method says nothing of them and all goods
      // leave from one place.
      parcelsSay(o) {
        if (o.slot) return "";
        const list = o.parcels || [];
        const told = start.parcelled[o.method] || list.some((p) => p.from !== list[0].from);
        if (!list.length || !told) return "";
        const groups = [];
        for (const p of list) {
          const one = p.lines.length === 1 && p.lines[0].quantity === 1;
          const weight = `${Number(Number(p.weight).toFixed(3))} ${start.weight}`,
            name = one ? this.lines[p.lines[0].line]?.name || "goods" : "the rest";
          let says = p.box !== null ? `${start.boxes[p.box]} ${weight}` : `${name} (${weight})`;
          if (p.from) says += " from " + start.places[p.from];
          const last = groups[groups.length - 1];
          if (last && last.says === says) last.count++;
          else groups.push({ says, count: 1 });
        }
        return (
          (list.length === 1 ? "1 parcel: " : list.length + " parcels: ") +
          groups.map((g) => (g.count > 1 ? g.count + " × " : "") + g.says).join(", ")
        );
      },
      get boxed() {
        return this.chosen.some((o) => (o.parcels || []).some((p) => p.box !== null));
      },
      // The boxes are drawn when that is opened, and again when the basket changes.
      async unpack() {
        const details = document.getElementById("packed"),
          into = document.getElementById("packed-drawn"),
          request = this.request;
        if (!details.open || !this.chosen.length) return;
        const got = await fetch(
          `/quotes/parcels/drawn?of=${start.of}&method=${encodeURIComponent(this.chosen[0].method)}`,
          { method: "POST", headers: { "Content-Type": "application/json" }, body: request },
        );
        into.innerHTML = got.ok ? await got.text() : "The boxes cannot be drawn at the moment.";
      },
      away(p) {
        return p.distance === null
          ? ""
          : `${new Intl.NumberFormat("en", { maximumFractionDigits: 1 }).format(p.distance)} ${p.unit} away`;
      },
      point(p) {
        return [[p.name, p.address].filter(Boolean).join(", "), this.away(p)].filter(Boolean).join(" · ");
      },
      whereOf(p) {
        return [p.address, this.away(p)].filter(Boolean).join(" · ");
      },
      charge(o) {
        if (o.slot) return "";
        return coins(o.total) === 0n ? "Free" : this.money(o.total);
      },

      get delivery() {
        if (this.answer && !this.answer.needs_shipping && this.lines.length) return "none needed";
        return this.chosen.length ? this.charge(this.chosen[0]) : "";
      },
      get tax() {
        return this.chosen.length && coins(this.chosen[0].tax) !== 0n ? this.money(this.chosen[0].tax) : "";
      },
      get taxSays() {
        return "of it tax on delivery";
      },
      get totalSays() {
        return this.chosen.length || this.delivery
          ? "Total" + (start.taxed ? "" : ", before tax on goods")
          : "So far";
      },
      get total() {
        return this.money(written(this.sum + (this.chosen.length ? coins(this.chosen[0].total) : 0n)));
      },

      slip(which, field) {
        if (this.slips[which + "-" + field]) return this.slips[which + "-" + field];
        if (!this.answer || which !== this.destination) return "";
        const fault = this.answer.checkout.faults.find((f) => f.field === field);
        return fault ? fault.message : "";
      },
      check() {
        // says beside each field what the order lacks; true where nothing does
        const s = {};
        const lacks = (which, field, text) => {
          s[which + "-" + field] = text;
        };
        const sent =
          this.answer &&
          this.answer.needs_shipping &&
          (!this.chosen.length || this.chosen[0].kind !== "pickup");
        for (const which of this.other && this.address !== "only_billing" ? ["first", "second"] : ["first"]) {
          const a = this[which];
          if (!a.name.trim()) lacks(which, "name", "Please say for whom it is.");
          if (!a.street.trim() && (sent || which !== this.destination))
            lacks(which, "street", "Please add the street.");
          if (a.form.postcode && !a.postcode.trim()) lacks(which, "postcode", "Please add the postcode.");
          if (!a.city.trim()) lacks(which, "city", "Please add the town.");
          if (a.form.regions.length && !a.region) lacks(which, "region", "Please choose one.");
        }
        if (this.answer && this.answer.needs_shipping && this.shows && !this.chosen.length)
          s.way = "Please choose how it is delivered.";
        if (this.points.length > 1 && !this.points.some((p) => p.location === this.at))
          s.point = "Please choose where you collect it.";
        if (!this.lines.length) s.all = "There is nothing in the basket.";
        if (this.badCount) s.all = this.badCount;
        this.slips = s;
        return (
          !Object.keys(s).length &&
          this.answer &&
          !this.answer.checkout.faults.length &&
          !this.answer.checkout.lacks.length &&
          (this.chosen.length || !this.answer.needs_shipping)
        );
      },
      async place() {
        // an order is placed at the price of this moment
        this.tried = true;
        clearTimeout(soon);
        await this.ask();
        if (this.check()) {
          this.placed = `Thank you. This is a preview, so no order was placed: it would have been ${this.total}.`;
          this.tried = false;
          this.$nextTick(() => document.getElementById("placed").focus());
          return;
        }
        this.placed = "";
        if (!this.slips.all && !this.slips.way && !this.slips.point) this.slips.all = "The address is not whole yet.";
        this.$nextTick(() => {
          const bad = document.querySelector('.order [aria-invalid="true"]');
          if (bad) bad.focus();
        });
      },
    };
  });
});
