// <diadrom-delivery>: asks a buyer for country and postcode, shows what delivery costs, and gives the page what was
// chosen, with a quote that the shop's server can verify. docs/integrate.md describes it.
(() => {
  const script = document.currentScript;
  const home = script ? new URL(script.src).origin : location.origin;

  const words = {
    en: {
      country: "Country", postcode: "Postcode", city: "Town", region: "State or region", choose: "Choose",
      delivery: "Delivery", free: "Free", asking: "Looking up delivery prices", point: "Collect it at",
      rest: "Prices may change with the rest of the address.",
      fill: "Fill in the address to see delivery prices.", empty: "The cart is empty.",
      nothing: "Nothing in this cart has to be delivered.", failed: "Delivery prices cannot be shown at the moment.",
      again: "Try again", wrong: "This postcode is not one of that country.", pick: "Choose a delivery method.",
      sameDay: "the same day", days: ["{n} day", "{n} days"], work: ["{n} working day", "{n} working days"],
      within: "within {days}", ready: "ready {when}", away: "{distance} away", carriers: "Carriers are being asked for their prices",
      count: ["{n} delivery method", "{n} delivery methods"], about: "estimated",
    },
    fi: {
      country: "Maa", postcode: "Postinumero", city: "Paikkakunta", region: "Osavaltio tai alue", choose: "Valitse",
      delivery: "Toimitus", free: "Ilmainen", asking: "Haetaan toimitushintoja", point: "Noutopaikka",
      rest: "Hinnat voivat muuttua, kun osoite on valmis.",
      fill: "Täytä osoite, niin näet toimitushinnat.", empty: "Ostoskori on tyhjä.",
      nothing: "Ostoskorissa ei ole mitään toimitettavaa.", failed: "Toimitushintoja ei voida nyt näyttää.",
      again: "Yritä uudelleen", wrong: "Tämä ei ole kyseisen maan postinumero.", pick: "Valitse toimitustapa.",
      sameDay: "samana päivänä", days: ["{n} päivä", "{n} päivää"], work: ["{n} arkipäivä", "{n} arkipäivää"],
      within: "enintään {days}", ready: "noudettavissa {when}", away: "{distance} päässä", carriers: "Kuljetusliikkeiltä kysytään hintoja",
      count: ["{n} toimitustapa", "{n} toimitustapaa"], about: "arvio",
    },
    sv: {
      country: "Land", postcode: "Postnummer", city: "Ort", region: "Delstat eller region", choose: "Välj",
      delivery: "Leverans", free: "Gratis", asking: "Hämtar leveranspriser", point: "Hämtas på",
      rest: "Priserna kan ändras när adressen är komplett.",
      fill: "Fyll i adressen för att se leveranspriser.", empty: "Varukorgen är tom.",
      nothing: "Inget i varukorgen behöver levereras.", failed: "Leveranspriser kan inte visas just nu.",
      again: "Försök igen", wrong: "Det är inte ett postnummer i det landet.", pick: "Välj ett leveranssätt.",
      sameDay: "samma dag", days: ["{n} dag", "{n} dagar"], work: ["{n} arbetsdag", "{n} arbetsdagar"],
      within: "inom {days}", ready: "klart {when}", away: "{distance} bort", carriers: "Transportföretagen tillfrågas om priser",
      count: ["{n} leveranssätt", "{n} leveranssätt"], about: "uppskattat",
    },
    de: {
      country: "Land", postcode: "Postleitzahl", city: "Ort", region: "Bundesstaat oder Region", choose: "Auswählen",
      delivery: "Lieferung", free: "Kostenlos", asking: "Lieferpreise werden geladen", point: "Abholung bei",
      rest: "Preise können sich mit der vollständigen Adresse ändern.",
      fill: "Geben Sie die Adresse ein, um Lieferpreise zu sehen.", empty: "Der Warenkorb ist leer.",
      nothing: "Nichts in diesem Warenkorb muss geliefert werden.", failed: "Lieferpreise können gerade nicht angezeigt werden.",
      again: "Erneut versuchen", wrong: "Das ist keine Postleitzahl dieses Landes.", pick: "Wählen Sie eine Lieferart.",
      sameDay: "am selben Tag", days: ["{n} Tag", "{n} Tage"], work: ["{n} Werktag", "{n} Werktage"],
      within: "innerhalb von {days}", ready: "abholbereit {when}", away: "{distance} entfernt", carriers: "Versanddienste werden nach Preisen gefragt",
      count: ["{n} Lieferart", "{n} Lieferarten"], about: "geschätzt",
    },
    fr: {
      country: "Pays", postcode: "Code postal", city: "Ville", region: "État ou région", choose: "Choisir",
      delivery: "Livraison", free: "Gratuit", asking: "Recherche des prix de livraison", point: "À retirer à",
      rest: "Les prix peuvent changer une fois l’adresse complète.",
      fill: "Indiquez l’adresse pour voir les prix de livraison.", empty: "Le panier est vide.",
      nothing: "Rien dans ce panier ne doit être livré.", failed: "Les prix de livraison ne peuvent pas être affichés pour le moment.",
      again: "Réessayer", wrong: "Ce n’est pas un code postal de ce pays.", pick: "Choisissez un mode de livraison.",
      sameDay: "le jour même", days: ["{n} jour", "{n} jours"], work: ["{n} jour ouvré", "{n} jours ouvrés"],
      within: "sous {days}", ready: "prêt {when}", away: "à {distance}", carriers: "Les transporteurs sont interrogés sur leurs prix",
      count: ["{n} mode de livraison", "{n} modes de livraison"], about: "estimé",
    },
    es: {
      country: "País", postcode: "Código postal", city: "Localidad", region: "Estado o región", choose: "Elegir",
      delivery: "Entrega", free: "Gratis", asking: "Buscando precios de entrega", point: "Recogida en",
      rest: "Los precios pueden cambiar con la dirección completa.",
      fill: "Indique la dirección para ver los precios de entrega.", empty: "La cesta está vacía.",
      nothing: "Nada de esta cesta necesita entrega.", failed: "Los precios de entrega no se pueden mostrar ahora.",
      again: "Reintentar", wrong: "No es un código postal de ese país.", pick: "Elija un modo de entrega.",
      sameDay: "el mismo día", days: ["{n} día", "{n} días"], work: ["{n} día laborable", "{n} días laborables"],
      within: "en {days}", ready: "listo {when}", away: "a {distance}", carriers: "Se preguntan los precios a los transportistas",
      count: ["{n} modo de entrega", "{n} modos de entrega"], about: "estimado",
    },
  };

  const style = new CSSStyleSheet();
  style.replaceSync(`
    :host { display: block; font: var(--diadrom-font, inherit); color: var(--diadrom-text, inherit); }
    :host([hidden]) { display: none; }
    .fields { display: flex; flex-wrap: wrap; gap: .75rem; }
    .field { flex: 1 1 10rem; min-width: 0; }
    .field[hidden] { display: none; }
    label.name { display: block; font-size: .875em; margin-bottom: .25rem; }
    input.text, select { box-sizing: border-box; width: 100%; font: inherit; color: inherit; padding: .5rem .6rem;
      background: var(--diadrom-background, Field); border: 1px solid var(--diadrom-border, #767676);
      border-radius: var(--diadrom-radius, .375rem); min-height: 2.75rem; }
    :is(input, select, button):focus-visible { outline: 3px solid var(--diadrom-accent, #1b5e8c); outline-offset: 1px; }
    fieldset { border: 0; margin: 1rem 0 0; padding: 0; min-width: 0; }
    legend { padding: 0; font-weight: 600; margin-bottom: .5rem; }
    .option { display: grid; grid-template-columns: auto 1fr auto; gap: .1rem .75rem; align-items: baseline;
      padding: .7rem .8rem; border: 1px solid var(--diadrom-border, #767676); border-radius: var(--diadrom-radius, .375rem);
      background: var(--diadrom-background, transparent); cursor: pointer; }
    .option + .option, .option + .points, .points + .option { margin-top: .5rem; }
    .option.on { border-color: var(--diadrom-accent, #1b5e8c); box-shadow: inset 0 0 0 1px var(--diadrom-accent, #1b5e8c); }
    .option input { accent-color: var(--diadrom-accent, #1b5e8c); width: 1.1rem; height: 1.1rem; margin: 0; align-self: center; grid-row: span 1; }
    .option .label { overflow-wrap: anywhere; }
    .price { font-variant-numeric: tabular-nums; white-space: nowrap; font-weight: 600; }
    .when, .hint { grid-column: 2 / -1; font-size: .875em; color: var(--diadrom-muted, inherit); }
    .hint { color: var(--diadrom-accent, #1b5e8c); }
    .off { opacity: 1; color: var(--diadrom-muted, inherit); cursor: default; }
    .points { padding: .5rem 0 .25rem 1.85rem; }
    .message { margin: .75rem 0 0; }
    .error { color: var(--diadrom-error, #a4262c); }
    button { font: inherit; color: inherit; background: none; border: 1px solid var(--diadrom-border, #767676);
      border-radius: var(--diadrom-radius, .375rem); padding: .4rem .9rem; min-height: 2.75rem; cursor: pointer; margin-left: .5rem; }
    .unseen { position: absolute; width: 1px; height: 1px; overflow: hidden; clip-path: inset(50%); white-space: nowrap; }
  `);

  // make gives an element; attributes that begin with on are handlers.
  const make = (tag, attributes = {}, ...inside) => {
    const e = document.createElement(tag);
    for (const [name, value] of Object.entries(attributes)) {
      if (value === null || value === false) continue;
      if (name.startsWith("on")) e.addEventListener(name.slice(2), value);
      else e.setAttribute(name, value === true ? "" : value);
    }
    e.append(...inside.filter((x) => x !== null && x !== ""));
    return e;
  };
  let number = 0;

  class Delivery extends HTMLElement {
    static formAssociated = true;
    static observedAttributes = ["lines", "coupons", "lang", "key", "server", "hold"];

    #internals = this.attachInternals();
    #id = "d" + ++number;
    #forms = [];
    #to = { country: "", region: "", city: "", postcode: "" };
    #lines = null;
    #coupons = null;
    #answer = null;
    #request = null;
    #problem = "";
    #asking = false;
    #way = "";
    #point = "";
    #choice = null;
    #turn = 0;
    #soon = 0;
    #expiry = 0;
    #stop = null;
    #parts = {};

    constructor() {
      super();
      const root = this.attachShadow({ mode: "open", delegatesFocus: true });
      root.adoptedStyleSheets = [style];
    }

    connectedCallback() {
      for (const field of ["country", "region", "city", "postcode"]) {
        if (!this.#to[field]) this.#to[field] = this.getAttribute(field) || "";
      }
      this.#frame();
      this.#open();
    }
    disconnectedCallback() {
      clearTimeout(this.#soon);
      clearTimeout(this.#expiry);
      this.#turn++;
      if (this.#stop) this.#stop.abort();
    }
    attributeChangedCallback(name, was, is) {
      if (was === is || !this.isConnected || !this.#parts.fields) return;
      if (name === "lines") this.#lines = null;
      if (name === "coupons") this.#coupons = null;
      if (name === "key" || name === "server") return void this.#open();
      if (name === "lang") {
        this.#frame();
        this.#fields();
      }
      this.requote();
    }

    /** The cart: [{sku, quantity}, …], as lines of a quote request. */
    get lines() {
      if (this.#lines) return this.#lines;
      try {
        return JSON.parse(this.getAttribute("lines") || "[]");
      } catch {
        console.warn("diadrom-delivery: the attribute lines is no JSON");
        return [];
      }
    }
    set lines(list) {
      this.#lines = list;
      this.requote();
    }
    get coupons() {
      return this.#coupons || (this.getAttribute("coupons") || "").split(",").map((c) => c.trim()).filter(Boolean);
    }
    set coupons(list) {
      this.#coupons = list;
      this.requote();
    }
    /** Where it goes: {country, region, city, postcode}. */
    get address() {
      return { ...this.#to };
    }
    set address(to) {
      this.#to = { ...this.#to, ...to };
      this.#fields();
      this.requote();
    }
    /** What was chosen, or null: see the event diadrom-choice. */
    get choice() {
      return this.#choice;
    }
    get form() {
      return this.#internals.form;
    }
    get name() {
      return this.getAttribute("name");
    }
    get validity() {
      return this.#internals.validity;
    }
    get validationMessage() {
      return this.#internals.validationMessage;
    }
    checkValidity() {
      return this.#internals.checkValidity();
    }
    reportValidity() {
      return this.#internals.reportValidity();
    }

    get #language() {
      const near = this.closest("[lang]");
      for (const l of [this.getAttribute("lang"), near && near.lang, navigator.language]) {
        try {
          if (l) return new Intl.Locale(l).toString();
        } catch {
          // what a page has there is no language: the next one counts
        }
      }
      return "en";
    }
    get #words() {
      return words[this.#language.toLowerCase().split("-")[0]] || words.en;
    }
    // A language of which the program has no words reads English throughout, so that numbers go with them.
    get #locale() {
      const known = words[this.#language.toLowerCase().split("-")[0]];
      return !known || this.#language.toLowerCase() === "en" ? "en-GB" : this.#language;
    }
    #count(forms, n) {
      const one = new Intl.PluralRules(this.#locale).select(typeof n === "number" ? n : Number.MAX_SAFE_INTEGER) === "one";
      return forms[one ? 0 : 1].replace("{n}", n);
    }
    #money(amount, currency) {
      if (!/[1-9]/.test(amount)) return this.#words.free;
      const digits = (amount.split(".")[1] || "").length;
      return new Intl.NumberFormat(this.#locale, {
        style: "currency",
        currency,
        minimumFractionDigits: digits,
        maximumFractionDigits: digits,
      }).format(amount);
    }

    #ask(path, options = {}) {
      const server = (this.getAttribute("server") || home).replace(/\/$/, "");
      return fetch(server + path, {
        ...options,
        credentials: "omit",
        headers: {
          Authorization: "Bearer " + this.getAttribute("key"),
          "Accept-Language": this.#locale,
          ...(options.body ? { "Content-Type": "application/json" } : {}),
        },
      });
    }
    async #told(got) {
      const body = await got.json().catch(() => ({}));
      const why = [body.title, ...(body.faults || []).map((f) => `${f.path}: ${f.message}`)].filter(Boolean).join("; ");
      console.warn(`diadrom-delivery: ${got.status} ${why}`);
    }

    async #open() {
      const mine = ++this.#turn;
      this.#problem = "";
      try {
        const got = await this.#ask("/api/v1/address-forms");
        if (mine !== this.#turn) return;
        if (!got.ok) {
          await this.#told(got);
          throw got.status;
        }
        const names = new Intl.DisplayNames([this.#locale], { type: "region" });
        const order = new Intl.Collator(this.#locale);
        this.#forms = (await got.json()).map((f) => ({ ...f, name: names.of(f.country) || f.name }));
        this.#forms.sort((a, b) => order.compare(a.name, b.name));
      } catch {
        if (mine !== this.#turn) return;
        this.#problem = this.#words.failed;
        this.#show();
        return;
      }
      if (!this.#forms.some((f) => f.country === this.#to.country)) {
        const region = new Intl.Locale(this.#language).maximize().region;
        const own = this.#forms.find((f) => f.country === region) || (this.#forms.length === 1 ? this.#forms[0] : null);
        this.#to.country = own ? own.country : "";
      }
      this.#fields();
      this.requote();
    }

    #frame() {
      const w = this.#words;
      const parts = (this.#parts = {});
      parts.fields = make("div", { class: "fields", part: "fields" });
      parts.options = make("div", { part: "options" });
      parts.message = make("p", { class: "message", part: "message", hidden: true });
      parts.says = make("p", { class: "unseen", role: "status" });
      this.shadowRoot.replaceChildren(parts.fields, parts.options, parts.message, parts.says);
      this.#internals.ariaLabel = w.delivery;
      this.#internals.role = "group";
    }

    get #form() {
      return this.#forms.find((f) => f.country === this.#to.country);
    }
    #field(name, control) {
      control.id = `${this.#id}-${name}`;
      return make("div", { class: "field", part: "field" },
        make("label", { class: "name", part: "label", for: control.id }, this.#words[name]), control);
    }
    #typed(name, complete) {
      const input = make("input", {
        class: "text", part: "input", value: this.#to[name], autocomplete: complete, maxlength: "80", spellcheck: "false",
        autocapitalize: name === "postcode" ? "characters" : null,
        oninput: () => {
          this.#to[name] = input.value;
          this.#later();
        },
      });
      if (name === "postcode") input.setAttribute("aria-describedby", this.#id + "-wrong");
      return this.#field(name, input);
    }
    #chosen(name, complete, list) {
      const select = make("select", {
        part: "input", autocomplete: complete,
        onchange: () => {
          this.#to[name] = select.value;
          if (name === "country") {
            this.#to.region = "";
            this.#fields();
          }
          this.requote();
        },
      }, ...list.map(([value, text]) => make("option", { value, selected: value === this.#to[name] }, text)));
      return this.#field(name, select);
    }
    #fields() {
      const form = this.#form;
      const had = this.shadowRoot.activeElement && this.shadowRoot.activeElement.id;
      const none = [["", this.#words.choose]];
      const list = [
        this.#chosen("country", "shipping country", [...(this.#to.country ? [] : none), ...this.#forms.map((f) => [f.country, f.name])]),
      ];
      if (form && form.postcode) list.push(this.#typed("postcode", "shipping postal-code"));
      if (form && !form.postcode) list.push(this.#typed("city", "shipping address-level2"));
      if (form && form.regions.length)
        list.push(this.#chosen("region", "shipping address-level1", [...none, ...form.regions.map((r) => [r.code, r.name])]));
      this.#parts.fields.replaceChildren(...list);
      if (had) {
        const again = this.shadowRoot.getElementById(had);
        if (again) again.focus();
      }
    }

    #later() {
      clearTimeout(this.#soon);
      this.#soon = setTimeout(() => this.requote(), 250);
    }
    /** Asks again, as after a change of the cart. */
    requote() {
      clearTimeout(this.#soon);
      clearTimeout(this.#expiry);
      if (!this.isConnected || !this.#form) return this.#show();
      return this.#quote();
    }
    async #quote() {
      const mine = ++this.#turn;
      if (this.#stop) this.#stop.abort();
      this.#stop = new AbortController();
      const form = this.#form;
      const to = { country: this.#to.country };
      if (form.regions.length && this.#to.region) to.region = this.#to.region;
      if (form.postcode ? this.#to.postcode.trim() : "") to.postcode = this.#to.postcode.trim();
      if (!form.postcode && this.#to.city.trim()) to.city = this.#to.city.trim();
      const request = {
        to,
        lines: this.lines,
        coupons: this.coupons,
        point: this.#point,
        checkout: true,
        language: this.#language,
        hold: this.getAttribute("hold") || "PT30M",
      };
      this.#asking = true;
      this.#show();
      for (const more of ["?carriers=later", ""]) {
        let answer = null;
        try {
          const got = await this.#ask("/api/v1/quotes" + more, {
            method: "POST",
            body: JSON.stringify(request),
            signal: this.#stop.signal,
          });
          if (mine !== this.#turn) return;
          if (got.ok) answer = await got.json();
          else await this.#told(got);
        } catch (error) {
          if (error.name === "AbortError") return;
        }
        if (mine !== this.#turn) return;
        this.#problem = answer ? "" : this.#words.failed;
        this.#answer = answer;
        this.#request = request;
        this.#asking = !!(answer && answer.pending && answer.pending.length && more);
        this.#settle();
        this.#show();
        if (!this.#asking) break;
      }
      this.dispatchEvent(new CustomEvent("diadrom-quote", { bubbles: true, composed: true, detail: this.#answer }));
      if (this.#answer && this.#answer.quote) {
        // A quote is asked for again a little before it ends.
        const left = Date.parse(this.#answer.quote.expires) - Date.now() - 30000;
        this.#expiry = setTimeout(() => this.requote(), Math.min(Math.max(left, 5000), 2 ** 31 - 1));
      }
    }

    #key(o) {
      return o.service ? o.method + "/" + o.service : o.method;
    }
    // Keeps what was chosen where it is still offered.
    #settle() {
      const a = this.#answer;
      const options = a && !a.checkout.wait ? a.options : [];
      if (!options.some((o) => this.#key(o) === this.#way) && !(a && a.pending)) {
        const set = options.find((o) => o.offer.preselected) || (options.length === 1 ? options[0] : null);
        this.#way = set ? this.#key(set) : "";
      }
      this.#tell();
    }
    #points(o) {
      return o && o.offer ? o.offer.points : [];
    }
    #tell() {
      const a = this.#answer;
      const o = a && a.options.find((x) => this.#key(x) === this.#way);
      const points = this.#points(o);
      const point = points.length === 1 ? points[0].location : points.some((p) => p.location === this.#point) ? this.#point : "";
      this.#choice = null;
      // Without its postcode an address has a price, but perhaps not the one that the order will have.
      const whole = a && !a.checkout.lacks.length && !a.checkout.faults.length;
      if (o && a.quote && whole && (!points.length || point)) {
        this.#choice = {
          method: o.method, service: o.service || "", label: o.label, total: o.total, currency: a.currency, tax: o.tax, point,
          days: o.days, dates: o.dates || null, quote: a.quote, request: this.#request,
        };
      }
      const done = this.#choice || (a && !a.needs_shipping && this.lines.length);
      this.#internals.setFormValue(this.#choice ? JSON.stringify(this.#choice) : null);
      this.#internals.setValidity(done ? {} : { valueMissing: true }, done ? "" : this.#words.pick,
        done ? undefined : this.shadowRoot.querySelector("input[type=radio], .fields input, .fields select") || undefined);
      this.dispatchEvent(new CustomEvent("diadrom-choice", { bubbles: true, composed: true, detail: this.#choice }));
    }

    #when(o) {
      const w = this.#words;
      let text = "";
      if (o.dates) {
        const day = new Intl.DateTimeFormat(this.#locale, { weekday: "short", day: "numeric", month: "long", timeZone: "UTC" });
        const [from, to] = [new Date(o.dates.from), new Date(o.dates.to)];
        text = o.dates.from === o.dates.to ? day.format(from) : day.formatRange(from, to);
      } else if (o.days) {
        const { min, max, business } = o.days;
        const forms = business ? w.work : w.days;
        if (max === 0) text = w.sameDay;
        else if (min === 0) text = w.within.replace("{days}", this.#count(forms, max));
        else text = this.#count(forms, min === max ? max : `${min}–${max}`);
      }
      if (text && o.kind === "pickup") text = w.ready.replace("{when}", text);
      return text.slice(0, 1).toLocaleUpperCase(this.#locale) + text.slice(1);
    }
    #away(p) {
      if (p.distance === null) return "";
      const unit = p.unit === "mi" ? "mile" : "kilometer";
      const far = new Intl.NumberFormat(this.#locale, { style: "unit", unit, maximumFractionDigits: 1 }).format(p.distance);
      return this.#words.away.replace("{distance}", far);
    }

    #show() {
      const w = this.#words;
      const a = this.#answer;
      const wait = a && a.checkout.wait;
      const shown = a && !wait && !this.#problem ? a.options : [];
      const told = a && !wait && !this.#problem ? a.refused.filter((r) => r.text) : [];
      const had = this.shadowRoot.activeElement && this.shadowRoot.activeElement.id;
      const rows = [];
      shown.forEach((o, i) => {
        const key = this.#key(o);
        const on = key === this.#way;
        const id = `${this.#id}-o${i}`;
        const when = [this.#when(o), o.estimated ? w.about : ""].filter(Boolean).join(" · ");
        const described = [when && id + "-w", o.offer && o.offer.hint && id + "-h"].filter(Boolean).join(" ");
        rows.push(make("label", { class: on ? "option on" : "option", part: on ? "option option-selected" : "option" },
          make("input", {
            type: "radio", name: this.#id, id, value: key, checked: on, "aria-describedby": described || null,
            onchange: () => {
              this.#way = key;
              this.#tell();
              this.#show();
            },
          }),
          make("span", { class: "label", part: "option-label" }, o.label),
          make("span", { class: "price", part: "price" }, this.#money(o.total, a.currency)),
          when ? make("span", { class: "when", part: "when", id: id + "-w" }, when) : null,
          o.offer && o.offer.hint ? make("span", { class: "hint", part: "hint", id: id + "-h" }, o.offer.hint) : null));
        const points = this.#points(o);
        if (on && points.length > 1) rows.push(this.#pointChoice(points));
        if (on && points.length === 1)
          rows.push(make("p", { class: "points when", part: "when" },
            [points[0].name, points[0].address, points[0].hours, this.#away(points[0])].filter(Boolean).join(" · ")));
      });
      for (const r of told) rows.push(make("div", { class: "option off", part: "refused" }, make("span", {}), make("span", { class: "label" }, r.text)));
      this.#parts.options.replaceChildren(
        ...(rows.length ? [make("fieldset", { part: "choices" }, make("legend", { part: "legend" }, w.delivery), ...rows)] : []));
      if (had) {
        const again = this.shadowRoot.getElementById(had);
        if (again) again.focus();
      }

      let text = "";
      let wrong = false;
      const fault = a && a.checkout.faults[0];
      if (this.#problem) [text, wrong] = [this.#problem, true];
      else if (fault) [text, wrong] = [fault.field === "postcode" ? w.wrong : fault.message, true];
      else if (this.#asking && !shown.length) text = w.asking;
      else if (this.#asking) text = w.carriers;
      else if (!this.lines.length) text = w.empty;
      else if (a && !a.needs_shipping) text = w.nothing;
      else if (!this.#form || wait) text = w.fill;
      else if (a && !shown.length) text = a.message;
      else if (a && a.checkout.lacks.length) text = w.rest;
      const message = this.#parts.message;
      message.hidden = !text;
      message.id = this.#id + "-wrong";
      message.className = wrong ? "message error" : "message";
      message.part = wrong ? "message error" : "message";
      message.replaceChildren(text);
      if (this.#problem) message.append(make("button", { type: "button", part: "button", onclick: () => (this.#forms.length ? this.requote() : this.#open()) }, w.again));
      const input = this.shadowRoot.getElementById(this.#id + "-postcode");
      if (input) input.setAttribute("aria-invalid", String(!!fault && fault.field === "postcode"));
      this.#parts.options.setAttribute("aria-busy", String(this.#asking));
      // What the page reader says once an answer is there, and not at every letter.
      if (!this.#asking) this.#parts.says.textContent = text || (shown.length ? this.#count(w.count, shown.length) : "");
    }
    #pointChoice(points) {
      const select = make("select", {
        part: "input", id: this.#id + "-point",
        onchange: () => {
          this.#point = select.value;
          this.requote();
        },
      },
        make("option", { value: "", selected: !points.some((p) => p.location === this.#point) }, this.#words.choose),
        ...points.map((p) => make("option", { value: p.location, selected: p.location === this.#point },
          [p.name, p.address, this.#away(p), p.hours].filter(Boolean).join(" · "))));
      return make("div", { class: "points", part: "field" },
        make("label", { class: "name", part: "label", for: select.id }, this.#words.point), select);
    }
  }

  if (!customElements.get("diadrom-delivery")) customElements.define("diadrom-delivery", Delivery);
})();
