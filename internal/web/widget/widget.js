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
      again: "Try again", pick: "Choose a delivery method.",
      sameDay: "the same day", days: ["{n} day", "{n} days"], work: ["{n} working day", "{n} working days"],
      within: "within {days}", ready: "ready {when}", away: "{distance} away", carriers: "Carriers are being asked for their prices",
      count: ["{n} delivery method", "{n} delivery methods"], about: "estimated",
      street: "Street", look: "Delivery has changed: look at its price, then order.",
      agreed: "Delivery prices are not available at the moment. You can still order: the shop will agree on delivery with you.",
      blocked: "Delivery prices are not available at the moment, so the order cannot be placed yet.",
    },
    fi: {
      country: "Maa", postcode: "Postinumero", city: "Paikkakunta", region: "Osavaltio tai alue", choose: "Valitse",
      delivery: "Toimitus", free: "Ilmainen", asking: "Haetaan toimitushintoja", point: "Noutopaikka",
      rest: "Hinnat voivat muuttua, kun osoite on valmis.",
      fill: "Täytä osoite, niin näet toimitushinnat.", empty: "Ostoskori on tyhjä.",
      nothing: "Ostoskorissa ei ole mitään toimitettavaa.", failed: "Toimitushintoja ei voida nyt näyttää.",
      again: "Yritä uudelleen", pick: "Valitse toimitustapa.",
      sameDay: "samana päivänä", days: ["{n} päivä", "{n} päivää"], work: ["{n} arkipäivä", "{n} arkipäivää"],
      within: "enintään {days}", ready: "noudettavissa {when}", away: "{distance} päässä", carriers: "Kuljetusliikkeiltä kysytään hintoja",
      count: ["{n} toimitustapa", "{n} toimitustapaa"], about: "arvio",
      street: "Katuosoite", look: "Toimitus on muuttunut: tarkista hinta ja tilaa sitten.",
      agreed: "Toimitushintoja ei nyt saada. Voit silti tilata: kauppa sopii toimituksesta kanssasi.",
      blocked: "Toimitushintoja ei nyt saada, joten tilausta ei voi vielä tehdä.",
    },
    sv: {
      country: "Land", postcode: "Postnummer", city: "Ort", region: "Delstat eller region", choose: "Välj",
      delivery: "Leverans", free: "Gratis", asking: "Hämtar leveranspriser", point: "Hämtas på",
      rest: "Priserna kan ändras när adressen är komplett.",
      fill: "Fyll i adressen för att se leveranspriser.", empty: "Varukorgen är tom.",
      nothing: "Inget i varukorgen behöver levereras.", failed: "Leveranspriser kan inte visas just nu.",
      again: "Försök igen", pick: "Välj ett leveranssätt.",
      sameDay: "samma dag", days: ["{n} dag", "{n} dagar"], work: ["{n} arbetsdag", "{n} arbetsdagar"],
      within: "inom {days}", ready: "klart {when}", away: "{distance} bort", carriers: "Transportföretagen tillfrågas om priser",
      count: ["{n} leveranssätt", "{n} leveranssätt"], about: "uppskattat",
      street: "Gatuadress", look: "Leveransen har ändrats: kontrollera priset och beställ sedan.",
      agreed: "Leveranspriser kan inte hämtas just nu. Du kan ändå beställa: butiken kommer överens med dig om leveransen.",
      blocked: "Leveranspriser kan inte hämtas just nu, så det går inte att beställa ännu.",
    },
    de: {
      country: "Land", postcode: "Postleitzahl", city: "Ort", region: "Bundesstaat oder Region", choose: "Auswählen",
      delivery: "Lieferung", free: "Kostenlos", asking: "Lieferpreise werden geladen", point: "Abholung bei",
      rest: "Preise können sich mit der vollständigen Adresse ändern.",
      fill: "Geben Sie die Adresse ein, um Lieferpreise zu sehen.", empty: "Der Warenkorb ist leer.",
      nothing: "Nichts in diesem Warenkorb muss geliefert werden.", failed: "Lieferpreise können gerade nicht angezeigt werden.",
      again: "Erneut versuchen", pick: "Wählen Sie eine Lieferart.",
      sameDay: "am selben Tag", days: ["{n} Tag", "{n} Tage"], work: ["{n} Werktag", "{n} Werktage"],
      within: "innerhalb von {days}", ready: "abholbereit {when}", away: "{distance} entfernt", carriers: "Versanddienste werden nach Preisen gefragt",
      count: ["{n} Lieferart", "{n} Lieferarten"], about: "geschätzt",
      street: "Straße", look: "Die Lieferung hat sich geändert: Prüfen Sie den Preis und bestellen Sie dann.",
      agreed: "Lieferpreise sind gerade nicht verfügbar. Sie können trotzdem bestellen: Der Shop stimmt die Lieferung mit Ihnen ab.",
      blocked: "Lieferpreise sind gerade nicht verfügbar, deshalb ist noch keine Bestellung möglich.",
    },
    fr: {
      country: "Pays", postcode: "Code postal", city: "Ville", region: "État ou région", choose: "Choisir",
      delivery: "Livraison", free: "Gratuit", asking: "Recherche des prix de livraison", point: "À retirer à",
      rest: "Les prix peuvent changer une fois l’adresse complète.",
      fill: "Indiquez l’adresse pour voir les prix de livraison.", empty: "Le panier est vide.",
      nothing: "Rien dans ce panier ne doit être livré.", failed: "Les prix de livraison ne peuvent pas être affichés pour le moment.",
      again: "Réessayer", pick: "Choisissez un mode de livraison.",
      sameDay: "le jour même", days: ["{n} jour", "{n} jours"], work: ["{n} jour ouvré", "{n} jours ouvrés"],
      within: "sous {days}", ready: "prêt {when}", away: "à {distance}", carriers: "Les transporteurs sont interrogés sur leurs prix",
      count: ["{n} mode de livraison", "{n} modes de livraison"], about: "estimé",
      street: "Rue", look: "La livraison a changé : vérifiez son prix, puis commandez.",
      agreed: "Les prix de livraison ne sont pas disponibles pour le moment. Vous pouvez tout de même commander : la boutique conviendra de la livraison avec vous.",
      blocked: "Les prix de livraison ne sont pas disponibles pour le moment : la commande n’est pas encore possible.",
    },
    es: {
      country: "País", postcode: "Código postal", city: "Localidad", region: "Estado o región", choose: "Elegir",
      delivery: "Entrega", free: "Gratis", asking: "Buscando precios de entrega", point: "Recogida en",
      rest: "Los precios pueden cambiar con la dirección completa.",
      fill: "Indique la dirección para ver los precios de entrega.", empty: "La cesta está vacía.",
      nothing: "Nada de esta cesta necesita entrega.", failed: "Los precios de entrega no se pueden mostrar ahora.",
      again: "Reintentar", pick: "Elija un modo de entrega.",
      sameDay: "el mismo día", days: ["{n} día", "{n} días"], work: ["{n} día laborable", "{n} días laborables"],
      within: "en {days}", ready: "listo {when}", away: "a {distance}", carriers: "Se preguntan los precios a los transportistas",
      count: ["{n} modo de entrega", "{n} modos de entrega"], about: "estimado",
      street: "Calle", look: "La entrega ha cambiado: mire su precio y después haga el pedido.",
      agreed: "Los precios de entrega no están disponibles ahora. Puede pedir de todos modos: la tienda acordará la entrega con usted.",
      blocked: "Los precios de entrega no están disponibles ahora, así que todavía no se puede pedir.",
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
    .waits { opacity: .55; }
    .waits .option { cursor: default; }
    .message { margin: .75rem 0 0; min-height: 1.5em; }
    .wrong { margin: .15rem 0 0; min-height: 1.35em; font-size: .875em; line-height: 1.35; }
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

  const addressFields = ["country", "region", "city", "postcode", "street", "lat", "lon"];
  const inMS = { debounce: 250, patience: 8000, dead: 20000, early: 30000, longest: 8000, calm: 900, wish: 10000, quiet: 3000 };
  // Officially assigned codes of ISO 3166-1, for a shop whose address forms do not come. Names come from the browser.
  const everywhere =
    "AD AE AF AG AI AL AM AO AQ AR AS AT AU AW AX AZ BA BB BD BE BF BG BH BI BJ BL BM BN BO BQ BR BS BT BV BW BY BZ CA CC CD CF CG CH CI CK CL CM CN CO CR CU CV CW CX CY CZ DE DJ DK DM DO DZ EC EE EG EH ER ES ET FI FJ FK FM FO FR GA GB GD GE GF GG GH GI GL GM GN GP GQ GR GS GT GU GW GY HK HM HN HR HT HU ID IE IL IM IN IO IQ IR IS IT JE JM JO JP KE KG KH KI KM KN KP KR KW KY KZ LA LB LC LI LK LR LS LT LU LV LY MA MC MD ME MF MG MH MK ML MM MN MO MP MQ MR MS MT MU MV MW MX MY MZ NA NC NE NF NG NI NL NO NP NR NU NZ OM PA PE PF PG PH PK PL PM PN PR PS PT PW PY QA RE RO RS RU RW SA SB SC SD SE SG SH SI SJ SK SL SM SN SO SR SS ST SV SX SY SZ TC TD TF TG TH TJ TK TL TM TN TO TR TT TV TW TZ UA UG UM US UY UZ VA VC VE VG VI VN VU WF WS YE YT ZA ZM ZW";

  class Delivery extends HTMLElement {
    static formAssociated = true;
    static observedAttributes = ["lines", "coupons", "lang", "key", "server", "hold", "point", "when-unavailable", ...addressFields];

    #internals = this.attachInternals();
    #id = "d" + ++number;
    #begun = false; // whether it has been in a page
    #forms = [];
    #plain = false; // whether the forms are those of a shop that does not answer
    #to = Object.fromEntries(addressFields.map((name) => [name, ""]));
    #set = new Set(); // fields of the address that a property or the buyer has set: attributes count until then
    #more = new Set(); // fields that an answer lacked, where there is no form that names them
    #lines = null;
    #coupons = null;
    #point = "";
    #way = ""; // the option that is chosen, as #key has it

    #answer = null; // the last answer
    #asked = ""; // what it answers, as #wanted writes it
    #sent = ""; // what was asked for last
    #request = null; // the request that was sent for it
    #ends = 0; // when its quote ends, by the clock of this machine
    #error = null; // why the last request failed; null after an answer
    #asking = false;
    #unanswered = 0; // since when there is no answer to show; 0 where there is one
    #dead = false; // whether that has been so for too long
    #turn = 0; // of requests for quotes: an answer to an earlier one is dropped
    #opening = 0; // of requests for forms
    #failures = 0;
    #stop = null;
    #choice = null;
    #told = "";
    #wish = null; // the submission that waits for an answer
    #pressed = null; // the button with which the form is being submitted
    #typedAt = 0;
    #timers = {};
    #parts = null;
    #off = new AbortController();

    constructor() {
      super();
      const root = this.attachShadow({ mode: "open", delegatesFocus: true });
      root.adoptedStyleSheets = [style];
      this.addEventListener("invalid", (event) => {
        if (this.#pressed && this.#busy) {
          event.preventDefault();
          this.#wait(this.#pressed);
        }
      });
    }

    connectedCallback() {
      // A property that was set before this script arrived hides the one of the class.
      for (const name of ["lines", "coupons", "address", "point"]) {
        if (!Object.hasOwn(this, name)) continue;
        const value = this[name];
        delete this[name];
        this[name] = value;
      }
      for (const name of addressFields) if (!this.#set.has(name)) this.#to[name] = this.getAttribute(name) || this.#to[name];
      if (!this.#point) this.#point = this.getAttribute("point") || "";
      this.#off = new AbortController();
      const on = (target, name, handle) => target.addEventListener(name, handle, { signal: this.#off.signal });
      on(window, "online", () => this.#look(true));
      on(window, "pageshow", (event) => event.persisted && this.#look());
      on(document, "visibilitychange", () => this.#look());
      if (!this.#begun) this.#frame();
      this.#begun = true;
      if (this.#forms.length && !this.#plain) this.#changed(0);
      else this.#open();
    }
    disconnectedCallback() {
      for (const name in this.#timers) clearTimeout(this.#timers[name]);
      this.#off.abort();
      this.#turn++;
      this.#opening++;
      if (this.#stop) this.#stop.abort();
      this.#asking = false;
    }
    attributeChangedCallback(name, was, is) {
      if (was === is) return;
      if (name === "lines") this.#lines = null;
      if (name === "coupons") this.#coupons = null;
      if (name === "point") this.#point = is || "";
      if (addressFields.includes(name)) {
        this.#to[name] = is || "";
        this.#set.add(name);
      }
      if (!this.#begun || !this.isConnected) return;
      if (name === "key" || name === "server") return void this.#open();
      if (name === "lang" && this.#forms.length) this.#forms = this.#named(this.#forms);
      if (name === "lang") this.#fields();
      if (name === "when-unavailable") return this.#show();
      if (addressFields.includes(name)) this.#fields();
      this.#changed(0);
    }
    formAssociatedCallback(form) {
      if (this.#form) this.#form.abort();
      this.#form = new AbortController();
      if (!form) return;
      const options = { capture: true, signal: this.#form.signal };
      // A button that is pressed submits within the same task: what becomes invalid then was meant to be sent.
      form.addEventListener("click", (event) => {
        const button = event.target.closest && event.target.closest("button, input");
        if (!button || button.form !== form || !["submit", "image"].includes(button.type)) return;
        this.#pressed = button;
        setTimeout(() => (this.#pressed = null));
      }, options);
      // Whoever goes on filling in the form presses again.
      form.addEventListener("input", () => (this.#wish = null), options);
      // A form that does not validate waits too.
      form.addEventListener("submit", (event) => {
        if (!this.#busy) return;
        event.preventDefault();
        event.stopImmediatePropagation();
        this.#wait(event.submitter);
      }, options);
    }
    #form = null;
    formResetCallback() {
      this.#way = "";
      this.#changed(0);
    }
    // What the browser kept when the buyer left the page, and comes back to it.
    formStateRestoreCallback(state) {
      try {
        const { to, way, point } = JSON.parse(state);
        this.#to = { ...this.#to, ...to };
        addressFields.forEach((name) => this.#set.add(name));
        this.#way = way;
        this.#point = point;
      } catch {
        return; // of another version of this element
      }
      if (!this.#begun || !this.isConnected) return;
      this.#fields();
      this.#changed(0);
    }

    /** The cart: [{sku, quantity}, …], as lines of a quote request. */
    get lines() {
      if (this.#lines) return this.#lines;
      try {
        const list = JSON.parse(this.getAttribute("lines") || "[]");
        if (Array.isArray(list)) return list;
      } catch {
        // said below
      }
      console.warn("diadrom-delivery: the attribute lines is not a JSON list");
      return [];
    }
    set lines(list) {
      this.#lines = list;
      this.#changed(0);
    }
    get coupons() {
      return this.#coupons || (this.getAttribute("coupons") || "").split(",").map((c) => c.trim()).filter(Boolean);
    }
    set coupons(list) {
      this.#coupons = list;
      this.#changed(0);
    }
    /** Where the order goes: {country, region, city, postcode, street, lat, lon}, "" for what is not asked with. */
    get address() {
      return { ...Object.fromEntries(addressFields.map((name) => [name, ""])), ...this.#wanted.to };
    }
    set address(to) {
      for (const name of addressFields) {
        if (to === null || to[name] === undefined) continue;
        this.#to[name] = String(to[name] ?? "");
        this.#set.add(name);
      }
      if (this.#begun) this.#fields();
      this.#changed(0);
    }
    /** The id of the place where the buyer wants to collect, "" for none. */
    get point() {
      return this.#point;
    }
    set point(id) {
      this.#point = id || "";
      this.#changed(0);
    }
    /** What was chosen, or null: see the event diadrom-choice. */
    get choice() {
      return this.#choice;
    }
    /** asking, chosen, choose, incomplete, nothing, refused, failed or unavailable. */
    get state() {
      return this.#state;
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
    /** Resolves with the choice, or null, once no answer is waited for. */
    settled() {
      if (!this.#busy) return Promise.resolve(this.#choice);
      return new Promise((resolve) => this.#waiting.push(resolve));
    }
    #waiting = [];
    /** Asks again, as after a change of the cart: what was chosen counts no more until the answer is there. */
    requote() {
      this.#asked = "";
      this.#changed(0);
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

    #later(name, ms, what) {
      clearTimeout(this.#timers[name]);
      this.#timers[name] = setTimeout(what, ms);
    }

    // #ask gives an answer's JSON, or throws {status, code, faults, wait}: wait is in how many seconds to ask again where
    // the server says so, null where it does not, and absent where asking again is of no use.
    async #ask(path, options, stop) {
      const server = (this.getAttribute("server") || home).replace(/\/$/, "");
      const key = this.getAttribute("key");
      const late = setTimeout(() => stop.abort("late"), inMS.patience);
      let got;
      try {
        got = await fetch(server + path, {
          ...options,
          signal: stop.signal,
          credentials: key ? "omit" : "same-origin",
          headers: {
            ...(key ? { Authorization: "Bearer " + key } : {}),
            "Accept-Language": this.#locale,
            ...(options.body ? { "Content-Type": "application/json" } : {}),
          },
        });
        if (got.ok) return await got.json();
      } catch {
        throw { status: got ? got.status : 0, code: stop.signal.reason === "late" ? "timeout" : "network", faults: [], wait: null };
      } finally {
        if (got && got.ok) clearTimeout(late);
      }
      const body = await got.json().catch(() => ({}));
      clearTimeout(late);
      const after = Number.parseFloat(got.headers.get("Retry-After"));
      throw {
        status: got.status,
        code: body.code || "http",
        faults: body.faults || [],
        detail: body.detail || body.title || "",
        wait: [408, 425, 429].includes(got.status) || got.status >= 500 ? (after >= 0 ? after : null) : undefined,
      };
    }
    // #failed tells the page of a failure, and gives in how many milliseconds to ask again; false where that is of no use.
    #failed(error) {
      const { status, code, faults, detail } = error;
      const why = [detail, ...faults.map((f) => `${f.path}: ${f.message}`)].filter(Boolean).join("; ");
      console.warn(`diadrom-delivery: ${status || code} ${why}`);
      this.dispatchEvent(new CustomEvent("diadrom-error", { bubbles: true, composed: true, detail: { status, code, faults } }));
      if (error.wait === undefined) return false;
      const backoff = Math.min(inMS.longest, 500 * 2 ** this.#failures++);
      return Math.max((error.wait || 0) * 1000, backoff * (0.5 + Math.random() / 2));
    }
    // #again asks at once what has failed, or has not been answered.
    #again() {
      if (this.#error || (this.#forms.length && this.#stale)) this.#changed(0);
      else if (this.#plain || !this.#forms.length) this.#open();
    }
    // #look is for a page that comes back: from behind another, from the browser's memory, or to the network, where what is
    // under way may wait for an answer that never comes.
    #look(online) {
      if ((document.hidden && !online) || !this.#begun || !this.isConnected) return;
      if (this.#error || this.#plain || this.#stale) this.#again();
      else if (this.#answer.quote && Date.now() > this.#ends - inMS.early) this.#quote();
    }

    // #named gives countries the names that the buyer's language has for them, in its order.
    #named(list) {
      const names = new Intl.DisplayNames([this.#locale], { type: "region" });
      const order = new Intl.Collator(this.#locale);
      return list.map((f) => ({ ...f, name: names.of(f.country) || f.name })).sort((a, b) => order.compare(a.name, b.name));
    }
    async #open() {
      const mine = ++this.#opening;
      clearTimeout(this.#timers.open);
      if (!this.#forms.length) {
        this.#missing();
        this.#show();
      }
      try {
        const forms = await this.#ask("/api/v1/address-forms", {}, new AbortController());
        if (mine !== this.#opening) return;
        this.#forms = this.#named(forms);
        this.#plain = false;
        this.#failures = 0;
        this.#more.clear();
      } catch (error) {
        if (mine !== this.#opening) return;
        const wait = this.#failed(error);
        if (!this.#forms.length) {
          this.#plain = true;
          this.#forms = this.#named(everywhere.split(" ").map((country) => ({ country, postcode: true, regions: [], plain: true })));
        }
        // Where a quote is asked for too, its answer says when to ask for forms again: what hangs takes up connections.
        if (wait !== false && !(this.#plain && this.#to.country && this.lines.length)) this.#later("open", wait, () => this.#open());
        if (!this.#plain) return;
      }
      if (!this.#asksFor) {
        // A country that the page names and the shop does not deliver to is not replaced by another.
        const region = new Intl.Locale(this.#language).maximize().region;
        const own = this.#forms.find((f) => f.country === region) || (this.#forms.length === 1 ? this.#forms[0] : null);
        this.#to.country = own && !this.#to.country ? own.country : "";
      }
      this.#fields();
      this.#changed(0);
    }

    #frame() {
      const parts = (this.#parts = {});
      parts.fields = make("div", { class: "fields", part: "fields" });
      parts.options = make("div", { part: "options" });
      parts.message = make("p", { class: "message", part: "message" });
      parts.says = make("p", { class: "unseen", role: "status" });
      this.shadowRoot.replaceChildren(parts.fields, parts.options, parts.message, parts.says);
      this.#internals.role = "group";
    }

    get #asksFor() {
      return this.#forms.find((f) => f.country === this.#to.country);
    }
    #shows(name) {
      const form = this.#asksFor;
      if (!form) return name === "country";
      return { country: true, postcode: form.postcode, city: form.city || this.#more.has("city"), street: form.street,
        region: form.regions.length > 0 || this.#more.has("region") }[name];
    }
    #edited(name, value) {
      this.#to[name] = value;
      this.#set.add(name);
      this.#typedAt = Date.now();
      // What the page knew of another address, and the buyer does not see, does not hold for this one.
      if (name === "country") {
        this.#more.clear();
        this.#to.region = "";
      }
      if (name !== "street") for (const other of ["city", "street"]) if (!this.#shows(other)) this.#to[other] = "";
      this.#to.lat = this.#to.lon = "";
    }
    #field(name, control) {
      control.id = `${this.#id}-${name}`;
      control.setAttribute("aria-describedby", control.id + "-wrong");
      return make("div", { class: "field", part: "field" },
        make("label", { class: "name", part: "label", for: control.id }, this.#words[name]), control,
        make("p", { class: "wrong error", part: "field-error", id: control.id + "-wrong" }));
    }
    #typed(name, complete) {
      const input = make("input", {
        class: "text", part: "input", value: this.#to[name], autocomplete: complete, maxlength: "80", spellcheck: "false",
        autocapitalize: name === "postcode" ? "characters" : null,
        oninput: () => {
          this.#edited(name, input.value);
          this.#changed(inMS.debounce);
        },
        onblur: () => this.#showFaults(),
        onkeydown: (event) => {
          if (event.key !== "Enter" || event.isComposing || !this.form) return;
          event.preventDefault();
          const button = [...this.form.elements].find((e) => e.type === "submit" && !e.disabled);
          this.#pressed = button || this.form;
          this.form.requestSubmit(button);
          this.#pressed = null;
        },
      });
      return this.#field(name, input);
    }
    #chosen(name, complete, list) {
      const select = make("select", {
        part: "input", autocomplete: complete,
        onchange: () => {
          this.#edited(name, select.value);
          if (name === "country") this.#fields();
          this.#changed(0);
        },
      }, ...list.map(([value, text]) => make("option", { value, selected: value === this.#to[name] }, text)));
      return this.#field(name, select);
    }
    #fields() {
      const form = this.#asksFor;
      const had = this.shadowRoot.activeElement;
      const at = had && had.selectionStart;
      const none = [["", this.#words.choose]];
      const list = [
        this.#chosen("country", "shipping country", [...(this.#to.country ? [] : none), ...this.#forms.map((f) => [f.country, f.name])]),
      ];
      if (this.#shows("postcode")) list.push(this.#typed("postcode", "shipping postal-code"));
      if (this.#shows("city")) list.push(this.#typed("city", "shipping address-level2"));
      if (form && form.regions.length)
        list.push(this.#chosen("region", "shipping address-level1", [...none, ...form.regions.map((r) => [r.code, r.name])]));
      else if (this.#shows("region")) list.push(this.#typed("region", "shipping address-level1"));
      if (this.#shows("street")) list.push(this.#typed("street", "shipping street-address"));
      this.#parts.fields.replaceChildren(...list);
      const again = had && this.shadowRoot.getElementById(had.id);
      if (again) {
        again.focus();
        if (at !== null && at !== undefined) again.setSelectionRange(at, at);
      }
    }

    // #wanted is what the buyer asks for now, without how long it is held.
    get #wanted() {
      const to = {};
      for (const name of addressFields) {
        const value = this.#to[name].trim();
        if (value && (name !== "postcode" || !this.#asksFor || this.#asksFor.postcode)) to[name] = value;
      }
      const request = { to, lines: this.lines, coupons: this.coupons, checkout: true, language: this.#language };
      // A place to collect belongs to the option that is collected there.
      const o = this.#answer && this.#answer.options.find((x) => this.#key(x) === this.#way);
      if (this.#point && !(o && !this.#points(o).length)) request.point = this.#point;
      return request;
    }
    // #busy says whether what is shown answers something else than what the buyer asks for now, and another answer is on its way.
    get #busy() {
      return !this.#dead && (!this.#forms.length || (!!this.#asksFor && this.lines.length > 0 && this.#stale)) && !(this.#error && this.#error.wait === undefined);
    }
    get #stale() {
      return !this.#answer || this.#asked !== JSON.stringify(this.#wanted) || (!!this.#answer.quote && Date.now() > this.#ends);
    }

    // #missing begins to count for how long there has been no answer.
    #missing() {
      if (this.#unanswered) return;
      this.#unanswered = Date.now();
      this.#later("dead", inMS.dead, () => {
        this.#dead = true;
        this.#settle();
      });
    }
    #answered() {
      this.#unanswered = 0;
      this.#dead = false;
      clearTimeout(this.#timers.dead);
    }

    // #changed asks for what has changed, a little later where the buyer is typing. What was chosen counts no more.
    #changed(ms) {
      if (!this.#begun || !this.isConnected) return;
      clearTimeout(this.#timers.ask);
      if (!this.#forms.length) return this.#settle(); // asked for once they are there
      if (!this.#asksFor || !this.lines.length) {
        this.#turn++;
        this.#asking = false;
        this.#error = null;
        this.#answered();
        return this.#settle();
      }
      if (this.#stale) this.#missing();
      if (ms) this.#later("ask", ms, () => this.#quote());
      else this.#quote();
      this.#settle();
    }
    async #quote() {
      clearTimeout(this.#timers.ask);
      const mine = ++this.#turn;
      if (this.#stop) this.#stop.abort();
      const request = this.#wanted;
      const asked = (this.#sent = JSON.stringify(request));
      const body = JSON.stringify({ ...request, hold: this.getAttribute("hold") || "PT30M" });
      this.#asking = true;
      if (this.#stale) this.#missing();
      for (const more of ["?carriers=later", ""]) {
        const stop = (this.#stop = new AbortController());
        let answer = null;
        let error = null;
        try {
          answer = await this.#ask("/api/v1/quotes" + more, { method: "POST", body }, stop);
        } catch (e) {
          error = e;
        }
        if (mine !== this.#turn) return;
        if (error) {
          this.#asking = false;
          this.#error = error;
          if (this.#stale) this.#missing();
          const wait = this.#failed(error);
          if (mine !== this.#turn) return; // the page has changed something when it was told
          if (wait !== false) this.#later("ask", wait, () => this.#quote());
          this.#later("quiet", inMS.quiet, () => this.#show());
          this.#settle();
          return;
        }
        this.#error = null;
        this.#failures = 0;
        this.#answer = answer;
        this.#asked = asked;
        this.#request = JSON.parse(body);
        this.#ends = answer.quote ? Date.now() + lifetime(answer.quote) : 0;
        this.#answered();
        if (this.#plain) this.#later("open", 500, () => this.#open());
        this.#asking = !!(answer.pending && answer.pending.length && more);
        if (this.#plain && answer.checkout.lacks.some((name) => !this.#shows(name))) {
          answer.checkout.lacks.forEach((name) => this.#more.add(name));
          this.#fields();
        }
        this.#prefer();
        if (asked !== JSON.stringify(this.#wanted)) return this.#changed(0); // it was for a place to collect, and is not collected
        this.#settle();
        if (mine !== this.#turn) return;
        if (!this.#asking) break;
      }
      this.dispatchEvent(new CustomEvent("diadrom-quote", { bubbles: true, composed: true, detail: this.#answer }));
      if (!this.#answer.quote) return;
      // A quote is asked for again a little before it ends, and counts no more when it has ended.
      const left = this.#ends - Date.now();
      this.#later("early", Math.min(Math.max(left - inMS.early, left / 2), 2 ** 31 - 1), () => this.#quote());
      this.#later("end", Math.min(left, 2 ** 31 - 1), () => {
        if (this.#stale) this.#changed(0);
      });
    }

    #key(o) {
      return o.service ? o.method + "/" + o.service : o.method;
    }
    // #prefer keeps what was chosen where it is still offered, and what the shop prefers otherwise.
    #prefer() {
      const a = this.#answer;
      const options = a.checkout.wait ? [] : a.options;
      if (options.some((o) => this.#key(o) === this.#way) || a.pending) return;
      const set = options.find((o) => o.offer.preselected) || (options.length === 1 ? options[0] : null);
      this.#way = set ? this.#key(set) : "";
    }
    #points(o) {
      return o && o.offer ? o.offer.points : [];
    }

    // #fault is what is wrong with the address or missing in it, where the answer is that of now: {field, message}.
    get #fault() {
      const a = this.#answer;
      if (!a || this.#stale) return null;
      if (a.checkout.faults.length) return a.checkout.faults[0];
      return a.checkout.lacks.length ? { field: a.checkout.lacks[0], message: "" } : null;
    }
    #state = "asking";
    // #settle works out what is chosen, and tells the form, the page and the buyer.
    #settle() {
      const w = this.#words;
      const a = this.#stale ? null : this.#answer;
      const o = a && a.options.find((x) => this.#key(x) === this.#way);
      const points = this.#points(o);
      const point = points.length === 1 ? points[0].location : points.some((p) => p.location === this.#point) ? this.#point : "";
      const fault = this.#fault;
      this.#choice = null;
      if (o && a.quote && !fault && (!points.length || point)) {
        this.#choice = {
          method: o.method, service: o.service || "", label: o.label, total: o.total, currency: a.currency, tax: o.tax, point,
          days: o.days, dates: o.dates || null, quote: a.quote, request: this.#request,
        };
      }
      // Without its postcode an address has a price, but perhaps not the one that the order will have.
      const field = (name) => this.shadowRoot.getElementById(`${this.#id}-${name}`);
      let why = "";
      let anchor = null;
      if (this.#choice) this.#state = "chosen";
      else if (!this.lines.length) [this.#state, why] = ["nothing", w.empty];
      else if (a && !a.needs_shipping) this.#state = "nothing";
      else if (this.#dead) [this.#state, why] = ["unavailable", w.blocked];
      else if (this.#busy) [this.#state, why] = ["asking", w.asking];
      else if (this.#error && !a) [this.#state, why] = ["failed", w.failed];
      else if (!this.#asksFor) [this.#state, why, anchor] = ["incomplete", w.fill, field("country")];
      else if (fault) [this.#state, why, anchor] = ["incomplete", fault.message || w.fill, field(fault.field)];
      else if (a && !a.options.length) [this.#state, why] = ["refused", a.message || w.failed];
      else [this.#state, why, anchor] = ["choose", w.pick, o ? field("point") : this.shadowRoot.querySelector("input[type=radio]")];
      if (this.#state === "unavailable" && this.getAttribute("when-unavailable") === "allow") {
        this.#choice = { unavailable: true };
        why = "";
      }
      this.#internals.setFormValue(this.#choice ? JSON.stringify(this.#choice) : null,
        JSON.stringify({ to: this.#to, way: this.#way, point: this.#point }));
      const first = anchor || this.shadowRoot.querySelector("input, select") || undefined;
      if (why) this.#internals.setValidity(anchor ? { valueMissing: true } : { customError: true }, why, first);
      else this.#internals.setValidity({});
      if (this.#internals.states) {
        this.#internals.states.clear();
        this.#internals.states.add(this.#state);
      }
      this.#show();
      const told = JSON.stringify(this.#choice);
      if (told !== this.#told) {
        this.#told = told;
        this.dispatchEvent(new CustomEvent("diadrom-choice", { bubbles: true, composed: true, detail: this.#choice }));
      }
      if (this.#busy) return;
      this.#waiting.splice(0).forEach((resolve) => resolve(this.#choice));
      this.#fulfil();
    }

    // #wait keeps a submission until the answer is there.
    #wait(submitter) {
      // Where another field is wrong the buyer is told of that, and presses again.
      if ([...this.form.elements].some((e) => e !== this && e.willValidate && !e.validity.valid)) return;
      const was = this.#answer && !this.#answer.checkout.wait && this.#answer.options.find((o) => this.#key(o) === this.#way);
      this.#wish = { submitter: submitter === this.form ? undefined : submitter, was: was ? this.#key(was) + " " + was.total : "", at: Date.now() };
      this.#show();
    }
    // #fulfil submits what waited, where the buyer has seen the method and the price; else it asks to look at them.
    #fulfil() {
      const wish = this.#wish;
      if (!wish || !this.form) return;
      this.#wish = null;
      const c = this.#choice;
      if (c && c.method && wish.was === this.#key(c) + " " + c.total && Date.now() - wish.at < inMS.wish) {
        const { submitter } = wish;
        return void this.form.requestSubmit(submitter && submitter.form === this.form ? submitter : undefined);
      }
      if (c) this.#parts.says.textContent = this.#parts.message.textContent = this.#words.look;
      else this.reportValidity();
    }

    #when(o) {
      const w = this.#words;
      let text = "";
      if (o.dates) {
        const day = new Intl.DateTimeFormat(this.#locale, { weekday: "short", day: "numeric", month: "short", timeZone: "UTC" });
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
      if (!this.#parts) return;
      const w = this.#words;
      this.#internals.ariaLabel = w.delivery;
      const a = this.#answer;
      const stale = this.#stale;
      // What was shown stays where it is while another answer is awaited, and cannot be chosen. After a failure it goes.
      const shown = !a || a.checkout.wait || a.checkout.faults.length || (stale && (this.#error || this.#dead)) || !this.lines.length || !this.#asksFor ? null : a;
      const rows = [];
      (shown ? shown.options : []).forEach((o, i) => {
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
              if (this.#stale && this.#sent !== JSON.stringify(this.#wanted)) this.#changed(0);
              else this.#settle();
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
      for (const r of shown ? shown.refused : [])
        if (r.text) rows.push(make("div", { class: "option off", part: "refused" }, make("span", {}), make("span", { class: "label" }, r.text)));
      const list = this.#parts.options;
      const next = make("div", {}, ...(rows.length ? [make("fieldset", { part: "choices" }, make("legend", { part: "legend" }, w.delivery), ...rows)] : []));
      // What is the same stays, and with it the focus.
      if (!next.isEqualNode(make("div", {}, ...[...list.childNodes].map((e) => e.cloneNode(true))))) {
        const had = this.shadowRoot.activeElement && this.shadowRoot.activeElement.id;
        list.replaceChildren(...next.childNodes);
        const again = had && this.shadowRoot.getElementById(had);
        if (again && again !== this.shadowRoot.activeElement) again.focus();
      }
      for (const radio of list.querySelectorAll("input")) radio.checked = radio.value === this.#way;
      list.className = stale && rows.length ? "waits" : "";
      list.setAttribute("aria-busy", String(this.#busy || this.#asking));

      const fault = this.#showFaults();

      const allowed = this.getAttribute("when-unavailable") === "allow";
      // A short cut of the network is no news.
      const failed = this.#error && stale && (this.#error.wait === undefined || Date.now() - this.#unanswered > inMS.quiet);
      let text = "";
      let wrong = false;
      if (!this.lines.length) text = w.empty;
      else if (this.#dead) [text, wrong] = [allowed ? w.agreed : w.blocked, !allowed];
      else if (failed) [text, wrong] = [w.failed, true];
      else if (!this.#forms.length || (stale && this.#busy)) text = w.asking;
      else if (!this.#asksFor || (a && a.checkout.wait)) text = a && a.checkout.faults.length ? "" : w.fill;
      else if (fault && fault.message) text = this.#shows(fault.field) ? "" : fault.message;
      else if (a && a.pending && a.pending.length && this.#asking) text = w.carriers;
      else if (a && !a.needs_shipping) text = w.nothing;
      else if (a && !a.options.length) text = a.message;
      else if (fault) text = w.rest;
      const message = this.#parts.message;
      message.className = wrong ? "message error" : "message";
      message.part = wrong ? "message error" : "message";
      message.replaceChildren(text);
      if ((failed || this.#dead) && this.lines.length)
        message.append(make("button", { type: "button", part: "button", onclick: () => this.#again() }, w.again));
      // What a page reader says once an answer is there, and not at every letter.
      if (this.#busy) return;
      const told = text || (fault && fault.message && this.shadowRoot.getElementById(`${this.#id}-${fault.field}-wrong`) ?
        this.shadowRoot.getElementById(`${this.#id}-${fault.field}-wrong`).textContent : rows.length ? this.#count(w.count, shown.options.length) : "");
      if (this.#parts.says.textContent !== told) this.#parts.says.textContent = told;
    }
    // What is wrong stands at its field, once the buyer has stopped typing there.
    #showFaults() {
      const fault = this.#fault;
      for (const name of addressFields) {
        const input = this.shadowRoot.getElementById(`${this.#id}-${name}`);
        if (!input) continue;
        let wrong = fault && fault.field === name ? fault.message : "";
        const rest = this.#typedAt + inMS.calm - Date.now();
        if (wrong && input === this.shadowRoot.activeElement && rest > 0) {
          wrong = "";
          this.#later("calm", rest, () => this.#showFaults());
        }
        input.setAttribute("aria-invalid", String(!!wrong));
        this.shadowRoot.getElementById(input.id + "-wrong").textContent = wrong;
      }
      return fault;
    }
    #pointChoice(points) {
      const select = make("select", {
        part: "input", id: this.#id + "-point",
        onchange: () => {
          this.#point = select.value;
          this.#changed(0);
        },
      },
        make("option", { value: "", selected: !points.some((p) => p.location === this.#point) }, this.#words.choose),
        ...points.map((p) => make("option", { value: p.location, selected: p.location === this.#point },
          [p.name, p.address, this.#away(p), p.hours].filter(Boolean).join(" · "))));
      return make("div", { class: "points", part: "field" },
        make("label", { class: "name", part: "label", for: select.id }, this.#words.point), select);
    }
  }

  // lifetime is for how many milliseconds a quote holds from now, whatever time the buyer's clock shows: as the claims of
  // its token say, in seconds.
  function lifetime(quote) {
    try {
      const { iat, exp } = JSON.parse(atob(quote.token.split(".")[1].replaceAll("-", "+").replaceAll("_", "/")));
      if (exp > iat) return (exp - iat) * 1000;
    } catch {
      // not a token that this version knows: the clocks are taken to agree, but not so far that it asks without end
    }
    return Math.max(Date.parse(quote.expires) - Date.now(), 5000);
  }

  if (!customElements.get("diadrom-delivery")) customElements.define("diadrom-delivery", Delivery);
})();
