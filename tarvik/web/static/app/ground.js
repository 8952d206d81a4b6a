// The ground: the map, the field book, what is on it, and the shelters put there. All figures come
// from the server.
import { corners } from "./map-corners.js";
import { dragging } from "./map-drag.js";
import { shelters } from "./map-shelters.js";
import { PX, mapView } from "./map-view.js";
import { added, finder, firstField, tick, ways } from "./survey.js";
import { swap } from "./swap.js";
import { ask, tellUndo, toast } from "./talk.js";

const FOOT_M = 0.3048;
const MOST_CORNERS = 60;
const READING = "[data-add=reading]:not([data-walk])";

export const ground = () => ({
  init() {
    const root = this.$root;
    this.url = root.dataset.url;
    this.metric = root.dataset.units === "metric";
    const send = (path, options) => this.send(path, options);
    const map = (this.map = mapView(this.$refs.map, this.$refs.told));
    const stood = (this.shelters = shelters(map, this.url, send));
    const bar = root.querySelector("[data-collecting]");
    const taken = (this.corners = corners(map, bar));
    this.listen = finder(
      this.url,
      () => this.$refs.lists.querySelector(READING),
      (metres) => this.typed(metres),
      this.metric ? "m" : "ft",
    );
    dragging(map, {
      rests: () => taken.on,
      taken: (target) => target.closest("[data-shelter], [data-place=free]"),
      taps: (event) => taken.on && taken.tap(map.at(event)),
      moves: (group, dx, dy) =>
        group.dataset.shelter
          ? stood.moves(group, dx, dy)
          : group.setAttribute("transform", `translate(${dx} ${dy})`),
      drops: (group, dx, dy) =>
        group.dataset.shelter
          ? stood.keep(group, dx, dy, 0, true)
          : this.shift(group.dataset.item, dx / PX, -dy / PX),
    });
    map.box.addEventListener("keydown", (event) => {
      const focus = document.activeElement?.closest?.(".item");
      if (focus && map.svg.contains(focus) && !taken.on) map.choose(focus);
      if (taken.key(event.key) || stood.key(event) || map.key(event.key)) event.preventDefault();
    });
    root.addEventListener("click", (event) => this.act(event));
    root.addEventListener("submit", (event) => {
      if (!event.target.dataset.add) return;
      event.preventDefault();
      this.add(event.target);
    });
    root.addEventListener("change", (event) => {
      const { target } = event;
      if (target.matches("[data-import]")) target.form.submit();
      else if (target.name === "way") ways(target.form);
      else if (target.matches("[data-tick], [data-note]"))
        tick(target.closest("[data-check]"), send);
    });
    this.fresh();
    this.open(location.hash.slice(1) || root.querySelector("[data-first]").dataset.first);
    root.dataset.done = "yes";
  },

  // One question at a time: the shelters, the survey, what is on the ground, its hazards.
  open(part) {
    const lists = this.$refs.lists;
    if (!lists.querySelector(`[data-part="${part}"]`)) return;
    this.$root.dataset.open = part;
    for (const tab of lists.querySelectorAll("[data-show]"))
      tab.setAttribute("aria-pressed", String(tab.dataset.show === part));
  },

  // A fresh view: the lists are in place, the map comes in a template beside them.
  fresh() {
    const lists = this.$refs.lists;
    this.map.show(lists.querySelector("[data-map]").content.querySelector("svg"));
    for (const form of lists.querySelectorAll(READING)) ways(form);
    tellUndo(this.$root, lists);
  },

  async send(path, options) {
    const lists = this.$refs.lists;
    const chosen = this.map.chosen?.dataset.shelter;
    lists.setAttribute("aria-busy", "true");
    try {
      swap(lists, await ask(this.url + path, options), "details[data-fold]");
      this.fresh();
      this.open(this.$root.dataset.open);
      if (chosen) this.map.choose(this.map.svg.querySelector(`[data-shelter="${chosen}"]`));
      return true;
    } catch (error) {
      const meanwhile = error.status === 409;
      toast(
        meanwhile
          ? "Somebody else changed this meanwhile; the map now shows theirs."
          : error.message,
      );
      if (path !== "/view") await this.send("/view");
      return false;
    } finally {
      lists.removeAttribute("aria-busy");
    }
  },

  // Metres as one types them here: a bare number in the course's units.
  typed(metres) {
    return (this.metric ? metres : metres / FOOT_M).toFixed(2);
  },

  async add(form) {
    if (!(await added(form, this.url))) return;
    this.corners.stop();
    const kind = form.dataset.add;
    const { walk } = form.dataset;
    const keep =
      kind === "reading" && walk === undefined
        ? { way: form.elements.way.value, start: form.elements.start.value }
        : {};
    await this.send("/view");
    const again = this.$refs.lists.querySelector(
      walk === undefined ? `[data-add="${kind}"]:not([data-walk])` : "[data-walk]",
    );
    if (!again) return;
    for (const [name, value] of Object.entries(keep)) again.elements[name].value = value;
    if (keep.way) ways(again);
    (walk === undefined ? (again.elements.end ?? again.elements.name) : firstField(again))?.focus();
  },

  // A point placed by hand is put elsewhere.
  async shift(item, dx, dy) {
    const row = this.$refs.lists.querySelector(`[data-thing="${item}"]`);
    const now = await ask(`${this.url}/items/${item}`).catch(() => null);
    if (!now) {
      toast("This point is no longer there.");
      return this.send("/view");
    }
    const moved = (value, by) => Math.round((value + by) * 1000) / 1000;
    return this.send(`/items/${item}`, {
      method: "PATCH",
      json: {
        values: { x: moved(now.values.x, dx), y: moved(now.values.y, dy) },
        version: Number(row.dataset.version),
        was: now.values,
      },
    });
  },

  // Places tapped on the map go into a form's fields.
  collect(form) {
    const east = ([x]) => this.typed(x / PX);
    const north = ([, y]) => this.typed(-y / PX);
    const one = !form.elements.corners;
    const fill = (places) => {
      if (!one)
        form.elements.corners.value = places.map((p) => `${east(p)} ${north(p)}`).join(", ");
      else if (places.length) {
        form.elements.x.value = east(places[0]);
        form.elements.y.value = north(places[0]);
      }
    };
    this.corners.start({
      most: one ? 1 : MOST_CORNERS,
      took: fill,
      done: (places) => {
        fill(places);
        const name = form.elements.name;
        if (name && !name.value) name.focus();
        else form.querySelector("button:not([type=button])").focus();
      },
    });
  },

  async act(event) {
    const tab = event.target.closest("[data-show]");
    if (tab) this.open(tab.dataset.show);
    const button = event.target.closest("[data-act]");
    if (!button) return;
    const { act, shelter, item } = button.dataset;
    const lists = this.$refs.lists;
    if (act === "undo" || act === "redo")
      this.send(`/undo?redo=${act === "redo"}`, { method: "POST" });
    else if (act === "remove") {
      if (await this.send(`/items/${item}`, { method: "DELETE" }))
        toast("Taken away.", () => this.send("/undo", { method: "POST" }));
    } else if (act === "off") this.shelters.off(shelter);
    else if (act === "put") this.shelters.put(shelter);
    else if (act === "take") this.shelters.take(shelter, button.dataset);
    else if (act === "spots")
      this.shelters.spots(button, shelter, lists.querySelector(`[data-spots="${shelter}"]`));
    else if (act === "listen") this.listen(button);
    else if (act === "collect") this.collect(button.form);
    else if (act === "other") this.other(button);
    else this.map.button(act);
  },

  // Another tape in place of the one that is asked for.
  other(button) {
    const steps = [...this.$refs.lists.querySelectorAll("[data-step]")];
    const at = steps.findIndex((step) => step.contains(button));
    steps[at].hidden = true;
    const next = steps[(at + 1) % steps.length];
    next.hidden = false;
    firstField(next.querySelector("form")).focus();
  },
});
