// The bench: sends the sliders' values while they move, shows the newest answer only.
import { shown } from "./lengths.js";
import { orbit } from "./orbit.js";
import { narrow } from "./phone.js";
import { swap } from "./swap.js";
import { ask, toast } from "./talk.js";

export const bench = () => ({
  waiting: false,
  again: false,
  timer: 0,
  turn: 0,

  init() {
    this.$root.dataset.query = this.query();
    this.page = this.$root.closest(".bench-page");
    this.open(narrow() ? "" : "room");
    this.solid();
    this.byHash();
    addEventListener("hashchange", () => this.byHash());
    this.later();
    document.getElementById("ways").addEventListener("pointerdown", (event) => this.follow(event));
    document.getElementById("ways").addEventListener("keydown", (event) => {
      if (event.key === "Enter" || event.key === " ") this.follow(event);
    });
  },

  // One part is open at a time, on a phone none at first; what an address or a link names is
  // opened.
  open(part) {
    this.page.dataset.open = part;
    for (const button of this.$root.querySelectorAll("[data-part]")) {
      button.setAttribute("aria-pressed", String(button.dataset.part === part));
    }
  },

  byHash() {
    const named = location.hash.slice(1);
    const inside = { hung: "wind", more: "wind", ways: "compare" };
    const part = inside[named] ?? named;
    if (!this.$root.querySelector(`[data-part="${CSS.escape(part)}"]`)) return;
    this.open(part);
    document.getElementById(named)?.scrollIntoView();
  },

  solid() {
    const take = (setting) => this.take(setting);
    for (const box of this.$root.querySelectorAll(".stage .orbit")) orbit(box, take);
  },

  // A point of the drawing is taken hold of: its setting's slider follows the drag.
  take(setting) {
    const input = this.$root.querySelector(`.sliders [name="${setting}"]`);
    const from = Number(input.value);
    return (by) => {
      const before = input.value;
      input.value = from + by;
      if (input.value !== before) this.moved();
    };
  },

  // Drag along the trade-off curve: the nearest point's settings go to the sliders.
  follow(event) {
    const chart = event.target.closest(".curve");
    if (!chart) return;
    event.preventDefault();
    const points = [...chart.querySelectorAll("[data-settings]")];
    const take = (point) => {
      const settings = JSON.parse(point.dataset.settings);
      for (const input of this.$root.querySelectorAll(".sliders [name]"))
        if (input.name in settings) input.value = settings[input.name];
      for (const p of points) p.classList.toggle("is-chosen", p === point);
      this.moved();
    };
    const own = event.target.closest("[data-settings]");
    if (event.type === "keydown") {
      if (own) take(own);
      return;
    }
    const nearest = (x) =>
      points.reduce((best, p) => {
        const middle = (q) => {
          const r = q.querySelector("circle").getBoundingClientRect();
          return Math.abs(r.left + r.width / 2 - x);
        };
        return middle(p) < middle(best) ? p : best;
      });
    let last = nearest(event.clientX);
    take(last);
    const drag = (move) => {
      const next = nearest(move.clientX);
      if (next !== last) {
        last = next;
        take(next);
      }
    };
    addEventListener("pointermove", drag);
    addEventListener("pointerup", () => removeEventListener("pointermove", drag), { once: true });
  },

  query() {
    const params = new URLSearchParams();
    for (const input of this.$root.querySelectorAll(".sliders [name]")) {
      if (input.value === "" || input.dataset.untouched) continue;
      if (input.type === "checkbox") {
        if (input.checked) params.append(input.name, input.value);
        continue;
      }
      params.set(input.name, input.value);
    }
    return params;
  },

  // What takes longer follows once the sliders rest; an answer to sliders that moved on since is
  // not shown.
  later() {
    clearTimeout(this.timer);
    const turn = (this.turn += 1);
    this.timer = setTimeout(async () => {
      for (const name of ["more", "ways"]) {
        const box = document.getElementById(name);
        box.setAttribute("aria-busy", "true");
        let html, fault;
        try {
          html = await ask(`${this.$root.dataset[name]}?${this.query()}`);
        } catch (error) {
          fault = error.message;
        }
        if (turn !== this.turn) return;
        if (fault) box.textContent = fault;
        else swap(box, html);
        box.setAttribute("aria-busy", "false");
      }
    }, 350);
  },

  side(input) {
    const names = input.dataset.sides.split("|");
    input.parentElement.querySelector("[data-side]").textContent =
      names[Math.round(Number(input.value) / 45) % 8];
  },

  moved(event) {
    if (event?.target?.closest("dialog")) return;
    if (event?.target?.name === "from") delete event.target.dataset.untouched;
    for (const input of this.$root.querySelectorAll('input[type="range"]')) {
      if (input.name === "from") {
        this.side(input);
        continue;
      }
      input.previousElementSibling.textContent = shown(
        Number(input.value),
        input.dataset.units,
        input.dataset.unit,
      );
    }
    this.refresh();
  },

  async refresh() {
    if (this.waiting) {
      this.again = true;
      return;
    }
    this.waiting = true;
    this.$refs.view.setAttribute("aria-busy", "true");
    try {
      const query = this.query();
      swap(this.$refs.view, await ask(`${this.$root.dataset.url}?${query}`), "details.figure");
      this.solid();
      this.open(this.page.dataset.open);
      history.replaceState(null, "", `?${query}`);
    } catch (error) {
      toast(error.message);
    } finally {
      this.waiting = false;
      this.$refs.view.setAttribute("aria-busy", "false");
    }
    this.$root.dataset.query = this.query();
    if (this.again) {
      this.again = false;
      this.refresh();
    } else {
      this.later();
      dispatchEvent(new Event("bench-moved"));
    }
  },

  async clicked(event) {
    const part = event.target.closest("[data-part]");
    if (part) {
      const again = narrow() && part.dataset.part === this.page.dataset.open;
      this.open(again ? "" : part.dataset.part);
      return;
    }
    const best = event.target.closest("[data-best]");
    if (best) best.search = `?best=1&wanted=${this.$root.querySelector("[name=wanted]").value}`;
    if (event.target.closest("[data-close]")) {
      this.$refs.dialog.close();
      return;
    }
    if (!event.target.closest("[data-choose-now]")) return;
    const query = this.query();
    query.delete("person");
    for (const name of ["wanted", "from", "mate", "gear"]) query.delete(name);
    try {
      this.$refs.dialog.innerHTML = await ask(`${this.$root.dataset.choose}?${query}`);
      this.$refs.dialog.showModal();
    } catch (error) {
      toast(error.message);
    }
  },
});
