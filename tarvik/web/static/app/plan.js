// The plan: makes it, moves people and shelters, fixes what is to stay. All figures come from the
// server; the map is the ground's.
import { dragging } from "./map-drag.js";
import { shelters } from "./map-shelters.js";
import { mapView } from "./map-view.js";
import { shutOnPhones } from "./phone.js";
import { jobs } from "./plan-jobs.js";
import { people } from "./plan-people.js";
import { swap } from "./swap.js";
import { ask, fault, tellUndo, toast } from "./talk.js";

const UNMAPPED =
  '<p class="empty">Nothing is mapped at this site. The plan counts trees instead; ' +
  "survey the ground and it places every shelter.</p>";

export const plan = () => ({
  init() {
    const root = this.$root;
    this.url = root.dataset.plan;
    const ground = root.dataset.url;
    const show = (path, options) => this.show(path, options);
    const map = (this.map = mapView(this.$refs.map, this.$refs.told));
    this.shelters = shelters(map, ground, (path, options) => this.moved(ground + path, options));
    this.jobs = jobs(this.url, this.$refs.job, async (told) => {
      await this.show("/view");
      root.dataset.ended = `${told.kind} ${told.state}`;
    });
    people(root, this.url, show, (html) => this.shown(html));
    const keep = (group, ...by) => this.keep(group, ...by);
    dragging(map, {
      rests: () => false,
      taken: (target) => target.closest("[data-shelter]"),
      taps: () => {},
      moves: (group, dx, dy) => this.shelters.moves(group, dx, dy),
      drops: (group, dx, dy) => keep(group, dx, dy, 0, true),
    });
    map.box.addEventListener("keydown", (event) => {
      if (!map.svg) return;
      const focus = document.activeElement?.closest?.(".item");
      if (focus && map.svg.contains(focus)) map.choose(focus);
      if (this.shelters.key(event, keep) || map.key(event.key)) event.preventDefault();
    });
    root.addEventListener("click", (event) => this.press(event));
    root.addEventListener("submit", (event) => this.form(event));
    this.fresh();
    const { running } = this.$refs.job.dataset;
    if (running) this.jobs.follow(JSON.parse(running));
    root.dataset.done = "yes";
  },

  // A site without a map leaves the box empty and says so.
  fresh() {
    const lists = this.$refs.lists;
    const svg = lists.querySelector("[data-map]").content.querySelector("svg");
    if (svg) this.map.show(svg);
    else this.$refs.map.innerHTML = UNMAPPED;
    tellUndo(this.$root, lists);
  },

  shown(html) {
    const chosen = this.map.chosen?.dataset.shelter;
    const cards = this.$refs.lists.querySelectorAll(".card-more").length;
    swap(this.$refs.lists, html, "details[data-fold]");
    if (!cards) shutOnPhones(this.$refs.lists);
    this.fresh();
    if (chosen) this.map.choose(this.map.svg?.querySelector(`[data-shelter="${chosen}"]`) ?? null);
  },

  async show(path, options) {
    const lists = this.$refs.lists;
    lists.setAttribute("aria-busy", "true");
    try {
      this.shown(await ask(this.url + path, options));
      return true;
    } catch (error) {
      toast(error.message);
      return false;
    } finally {
      lists.removeAttribute("aria-busy");
    }
  },

  begin(wanted) {
    delete this.$root.dataset.ended;
    this.jobs.start(wanted);
  },

  post(path, json) {
    return this.show(path, { method: "POST", json });
  },

  // Whatever the ground's answer shows, this page shows the plan.
  async moved(url, options) {
    try {
      await ask(url, options);
    } catch (error) {
      toast(error.message);
      return false;
    }
    return this.show("/view");
  },

  // Put down by hand: fixed there, the rest is planned round it on demand.
  async keep(group, ...by) {
    const id = group.dataset.shelter;
    await this.shelters.keep(group, ...by);
    const lock = this.$refs.lists.querySelector(
      `[data-row-shelter="${id}"] [data-lock=standing][aria-pressed=false]`,
    );
    if (lock) await this.post("/locks", { kind: "standing", number: Number(lock.dataset.number) });
  },

  async press(event) {
    const fold = event.target.closest('a[href^="#"]');
    if (fold) document.querySelector(fold.hash).open = true;
    const button = event.target.closest("button");
    if (!button) return;
    const d = button.dataset;
    if (d.job) this.begin({ kind: d.job, few_moves: d.few === "yes" });
    else if (d.act) this.act(d.act);
    else if (d.lock) this.post("/locks", { kind: d.lock, number: Number(d.number) });
    else if (d.accept) this.post("/accept", { shelter: Number(d.in), rule: d.accept });
    else if (d.use) this.post(`/use/${d.use}`);
    else if (d.take) this.post(`/named/${d.take}/take`);
    else if (d.dropNamed) this.show(`/named/${d.dropNamed}`, { method: "DELETE" });
    else if (d.unpair)
      this.post("/pairs", { kind: d.unpair, one: Number(d.one), two: Number(d.two) });
    else if (d.repair) {
      if (await this.post("/repair", JSON.parse(d.repair))) this.begin({ kind: "plan" });
    } else if (d.aim) this.rank(d.aim, Number(d.by));
  },

  act(what) {
    if (what === "cancel") this.jobs.stop();
    else if (what === "undo" || what === "redo")
      this.show(`/undo?redo=${what === "redo"}`, { method: "POST" });
    else this.map.button(what);
  },

  // What was moved keeps the focus.
  async rank(aim, by) {
    const order = [...this.$refs.lists.querySelectorAll('[data-aim][data-by="1"]')].map(
      (button) => button.dataset.aim,
    );
    const at = order.indexOf(aim);
    [order[at], order[at + by]] = [order[at + by], order[at]];
    await this.post("/aims", { aims: order });
    const pair = [...this.$refs.lists.querySelectorAll(`[data-aim="${aim}"]`)];
    (pair.find((b) => Number(b.dataset.by) === by && !b.disabled) ??
      pair.find((b) => !b.disabled))?.focus();
  },

  async form(event) {
    const form = event.target;
    const values = Object.fromEntries(new FormData(form));
    const kind = ["keep", "pair", "evening", "hurt"].find((name) => form.matches(`[data-${name}]`));
    if (!kind) return;
    event.preventDefault();
    if (kind === "keep") this.keepNamed(form, values.name);
    else if (kind === "pair")
      this.post("/pairs", { kind: values.kind, one: Number(values.one), two: Number(values.two) });
    else if (kind === "hurt") this.begin({ kind: "mishap", hurt: Number(values.hurt) });
    else if (await this.post("/evening", eveningOf(values))) this.begin({ kind: "evening" });
  },

  keepNamed(form, name) {
    if (name.trim()) this.show("/named", { method: "POST", form: new FormData(form) });
    else fault(form.elements.name, "give the plan a name");
  },
});

/** @param {Record<string, any>} values */
const eveningOf = ({ arrival, mallets, person, late_min }) => ({
  arrival: arrival || null,
  mallets: Number(mallets) || null,
  ...(person ? { person: Number(person), late_min: Number(late_min || 0) } : {}),
});
