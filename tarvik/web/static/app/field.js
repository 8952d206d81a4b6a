// In the field: what is ticked, noted and put right is shown at once, and sent now or when there is
// network.
import { button } from "./talk.js";
import { Waiting, bodyOf, parts, reachable } from "./waiting.js";

const hour = (date) => date.toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" });
const things = (count) => `${count} ${count === 1 ? "change waits" : "changes wait"}`;

const send = (method, url, body) =>
  fetch(url, {
    method,
    headers: { "Content-Type": "application/json", Accept: "application/json" },
    body: JSON.stringify(body),
  });

// Wet places of a shelter's log, in metres on the ground; the drawing has 100 units a metre, and
// its y points down.
const PER_M = 100;
const NEAR_M = 0.25;
const MOST_PLACES = 12;

const wetPlaces = (form) =>
  form.elements.wet_at.value
    .split(" ")
    .filter(Boolean)
    .map((place) => place.split(",").map(Number));

const toMetres = (svg, { clientX, clientY }) => {
  const { x, y } = new DOMPoint(clientX, clientY).matrixTransform(svg.getScreenCTM().inverse());
  return [x / PER_M, -y / PER_M].map((metres) => Number(metres.toFixed(2)));
};

const drawWet = (form) => {
  const svg = form.querySelector(".wet-map");
  if (!svg) return;
  for (const old of svg.querySelectorAll(".wet-place")) old.remove();
  for (const [x, y] of wetPlaces(form)) {
    const drop = document.createElementNS("http://www.w3.org/2000/svg", "circle");
    drop.setAttribute("class", "wet-place");
    drop.setAttribute("cx", String(x * PER_M));
    drop.setAttribute("cy", String(-y * PER_M));
    drop.setAttribute("r", "12");
    svg.append(drop);
  }
};

const drawNote = (notes, { key, note }) => {
  if (!notes || notes.querySelector(`[data-key="${key}"]`)) return;
  const line = document.createElement("li");
  line.dataset.key = key;
  line.textContent = note;
  notes.append(line);
};

const drawLog = (form, log) => {
  for (const [name, value] of Object.entries(log))
    if (form?.elements[name]) form.elements[name].value = value;
  if (form) drawWet(form);
};

const drawMoved = (told, words) => {
  if (told) told.textContent = `${words}: waits to be sent.`;
};

// What the server says of a change that it does not keep.
const ASKS_AGAIN = [401, 429];

export const field = () => ({
  init() {
    const { course, url, at } = this.$root.dataset;
    this.url = url;
    this.loaded = new Date(at);
    this.online = true;
    this.waiting = new Waiting(`waiting field ${course}`);
    this.aside = new Waiting(`aside field ${course}`);
    this.keepPages();
    this.drawWaiting();
    addEventListener("online", () => this.sendAll());
    addEventListener("offline", () => this.look());
    this.look();
    this.sendAll();
  },

  // The worker keeps these pages and all that this one is made of.
  async keepPages() {
    if (!("serviceWorker" in navigator)) return;
    await navigator.serviceWorker.register("/field-worker.js", { scope: "/" }).catch(() => {});
    const worker = await navigator.serviceWorker.ready;
    navigator.serviceWorker.addEventListener("message", (event) => {
      if (event.data?.done) document.documentElement.dataset.kept = "yes";
    });
    const used = performance.getEntriesByType("resource").map((one) => one.name);
    const others = JSON.parse(this.$root.dataset.parts).map(
      (one) => new URL(one, location.href).href,
    );
    const shipped = [...new Set([...used, ...parts(), ...others])].filter((one) =>
      one.includes("/static/"),
    );
    worker.active?.postMessage({
      pages: JSON.parse(this.$root.dataset.pages),
      slow: JSON.parse(this.$root.dataset.later),
      asOf: this.$root.dataset.asOf,
      parts: shipped,
      home: location.href,
    });
  },

  async look() {
    this.online = await reachable();
    this.showState();
  },

  showState() {
    const count = this.waiting.list().length;
    const at = hour(this.loaded);
    const kept = this.online ? `Loaded at ${at}` : `No network: kept at ${at}`;
    this.$refs.state.textContent = count ? `${kept}; ${things(count)}.` : `${kept}.`;
    this.$root.dataset.waiting = count;
    this.$root.dataset.online = this.online ? "yes" : "no";
  },

  // What waits, over what the page says, and what stands against somebody else's change.
  drawWaiting() {
    // Of all nights' changes those of this night are drawn; all of them wait, and are sent.
    for (const entry of this.waiting.list()) if (entry.page === this.url) this.draw(entry);
    this.$refs.aside.replaceChildren(...this.aside.list().map((entry) => this.asideRow(entry)));
    this.showState();
  },

  draw({ shows }) {
    const shelter = this.$root.querySelector(`[data-sheet="${shows.sheet}"]`);
    const input = shows.name && this.$root.querySelector(`[name="${shows.name}"]`);
    if (input) input.value = shows.text;
    if (!shelter) return;
    if (shows.check) this.drawCheck(shelter, shows);
    else if (shows.note) drawNote(shelter.querySelector("[data-notes]"), shows);
    else if (shows.log) drawLog(shelter.querySelector(".log-form"), shows.log);
    else if (shows.moved) drawMoved(shelter.querySelector("[data-moved]"), shows.moved);
  },

  drawCheck(shelter, { check, state }) {
    const row = shelter.querySelector(`[data-check="${check}"]`);
    if (!row) return;
    for (const pressed of row.querySelectorAll("[data-state]"))
      pressed.setAttribute("aria-pressed", String(pressed.dataset.state === state));
    row.dataset.now = state;
    this.count(shelter);
  },

  count(shelter) {
    const rows = [...shelter.querySelectorAll("[data-check]")];
    const ok = rows.filter((row) => row.dataset.now === "ok").length;
    const wrong = rows.filter((row) => row.dataset.now === "wrong").length;
    const words = `${ok} of ${rows.length} looked at${wrong ? `, ${wrong} not right` : ""}`;
    shelter.querySelector("[data-count]").textContent = words;
  },

  tick(event) {
    const pressed = event.target.closest("[data-state]");
    if (!pressed) return;
    const row = pressed.closest("[data-check]");
    const { sheet, pitch } = row.closest("[data-sheet]").dataset;
    const state = row.dataset.now === pressed.dataset.state ? "" : pressed.dataset.state;
    const said = { kind: "check", sheet: Number(sheet), pitch, check: row.dataset.check, state };
    this.say(
      { entry: said, shows: { sheet, check: row.dataset.check, state } },
      `${sheet} ${row.dataset.check}`,
    );
  },

  note(event) {
    const form = event.target;
    const input = form.querySelector("[name=note]");
    const { sheet, pitch } = form.closest("[data-sheet]").dataset;
    const text = input.value.trim();
    if (!text) return;
    const key = crypto.randomUUID();
    this.say({
      entry: { kind: "note", sheet: Number(sheet), pitch, text },
      shows: { sheet, note: text, key },
    });
    input.value = "";
  },

  log(event) {
    const form = event.target;
    const { sheet, pitch } = form.closest("[data-sheet]").dataset;
    const log = Object.fromEntries(new FormData(form));
    const told = "Kept; it is in the log once it is sent.";
    this.say(
      { entry: { kind: "log", sheet: Number(sheet), pitch, log }, shows: { sheet, log } },
      `${sheet} log`,
    );
    form.querySelector("[data-logged]").textContent = told;
  },

  tapWet(event) {
    const svg = event.target.closest("svg");
    if (!svg) return;
    const form = svg.closest("form");
    const at = toMetres(svg, event);
    const places = wetPlaces(form);
    const near = places.findIndex(([x, y]) => Math.hypot(x - at[0], y - at[1]) < NEAR_M);
    if (near >= 0) places.splice(near, 1);
    else if (places.length < MOST_PLACES) places.push(at);
    form.elements.wet_at.value = places.map((place) => place.join(",")).join(" ");
    drawWet(form);
  },

  weather(event) {
    const { name, value, dataset } = event.target;
    const json = { column: name, text: value, version: Number(dataset.version), was: dataset.was };
    this.say({ method: "PATCH", url: dataset.url, json, shows: { name, text: value } }, name);
  },

  late(event) {
    const { name, value, dataset } = event.target;
    const json = { person: Number(dataset.person), late_min: Number(value) || 0 };
    this.say({ method: "POST", url: dataset.url, json, shows: { name, text: value } }, name);
  },

  tree(event) {
    const { name, value, dataset } = event.target;
    const json = { text: value, version: Number(dataset.itemVersion), was: dataset.was };
    this.say({ method: "PATCH", url: dataset.url, json, shows: { name, text: value } }, name);
  },

  // Every move starts at the place that the page shows: a second one before the first is sent
  // takes its place.
  moved(event) {
    const form = event.target;
    const { sheet } = form.closest("[data-sheet]").dataset;
    const { url, was, x, y, front } = form.dataset;
    const typed = Object.fromEntries(new FormData(form));
    const place = { x: Number(x), y: Number(y), front_deg: Number(front), was };
    const text = `${typed.way} ${typed.toward}${typed.front ? `, front to ${typed.front}` : ""}`;
    this.say(
      { method: "PATCH", url, json: { ...typed, ...place, text }, shows: { sheet, moved: text } },
      `${sheet} moved`,
    );
  },

  say(entry, replaces) {
    const own = { ...entry, page: this.url };
    this.waiting.put(replaces ? { ...own, replaces: `${this.url} ${replaces}` } : own);
    this.draw(entry);
    this.showState();
    this.sendAll();
  },

  async sendAll() {
    await this.waiting.send((entry) => this.post(entry));
    this.drawWaiting();
  },

  // Whether the server has an entry. What it refuses, or what somebody else has changed meanwhile,
  // is put aside with both values until the leader has decided.
  async post(entry) {
    const body = entry.entry && { ...entry.entry, key: entry.id, at: entry.at };
    const answer = body
      ? await send("POST", `${entry.page}/entries`, { entries: [body] })
      : await send(entry.method, entry.url, entry.json);
    this.online = true;
    if (answer.status >= 500 || ASKS_AGAIN.includes(answer.status)) return false;
    const told = await answer.json().catch(() => ({}));
    const theirs = answer.status === 409;
    const same = theirs && told.theirs === entry.json?.text;
    if (told.gone?.length) this.refused(entry, "This shelter is not there any more.");
    else if (answer.ok || same) this.taken(entry, told);
    else if (theirs) this.aside.put({ ...entry, told });
    else this.refused(entry, told.errors?.[0]?.message ?? "It was refused.");
    return true;
  },

  refused(entry, why) {
    this.aside.put({ ...entry, why });
  },

  taken(entry, told) {
    if (entry.page !== this.url) return;
    if (entry.shows?.moved) {
      const shelter = this.$root.querySelector(`[data-sheet="${entry.shows.sheet}"]`);
      const said = shelter?.querySelector("[data-moved]");
      if (said) said.textContent = `On the map now: ${told.text}. Open this page anew to see it.`;
      return;
    }
    const input = entry.shows?.name && this.$root.querySelector(`[name="${entry.shows.name}"]`);
    if (!input) return;
    if (told.text !== undefined) input.value = told.text;
    input.dataset.was = input.value;
    if (input.dataset.itemVersion !== undefined) {
      input.dataset.itemVersion = told.version ?? input.dataset.itemVersion;
      return;
    }
    for (const one of this.$root.querySelectorAll("[data-version]"))
      if (told.version) one.dataset.version = told.version;
  },

  asideRow(entry) {
    const row = document.createElement("li");
    const mine =
      entry.shows?.text ??
      entry.shows?.moved ??
      entry.shows?.note ??
      entry.shows?.state ??
      (entry.shows?.log ? "The morning's log" : "");
    row.append(
      entry.told
        ? `Yours: ${mine}. Meanwhile somebody else wrote ${entry.told.theirs}. `
        : `${mine}: ${entry.why} `,
    );
    const choice = (words, action) =>
      button(words, () => {
        this.aside.drop(entry.id);
        action();
        this.drawWaiting();
      });
    if (entry.told)
      row.append(
        choice("Take mine", () => {
          const json = { ...entry.json, version: entry.told.version, was: entry.told.theirs };
          this.waiting.put({ ...entry, id: crypto.randomUUID(), told: undefined, json });
          this.sendAll();
        }),
        " ",
      );
    row.append(
      choice(entry.told ? "Leave theirs" : "Drop it", () => {
        if (entry.told) this.taken(entry, { ...entry.told, text: entry.told.theirs });
      }),
    );
    return row;
  },

  // A shelter at its usual steps: fetched when it is looked at, from the phone where there is no
  // network.
  async steps(event) {
    const out = event.target.querySelector("[data-steps]");
    try {
      out.innerHTML = await (await fetch(event.target.dataset.url)).text();
    } catch {
      out.textContent = "This was not kept yet: open this page again where there is network.";
    }
  },

  async measure(event) {
    const form = event.target;
    const out = form.querySelector("[data-measured]");
    const asked = bodyOf(form);
    out.setAttribute("aria-busy", "true");
    try {
      out.innerHTML = await (await fetch(`${form.dataset.url}?${asked}`)).text();
    } catch {
      out.textContent =
        "Without network nothing new can be worked out. The table of usual steps below is kept.";
    }
    out.removeAttribute("aria-busy");
  },
});
