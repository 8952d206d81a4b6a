// The hung sheet on the bench: follows the sliders once they rest; a point taken hold of is lifted
// by the drag.
import { shown } from "./lengths.js";
import { orbit } from "./orbit.js";
import { swap } from "./swap.js";
import { ask } from "./talk.js";

const STEP = 0.05;

export const hung = () => ({
  // Goes up with every change: what was asked before is not shown any more, it would put the
  // handle back.
  turn: 0,
  timer: 0,

  init() {
    this.box = this.$root;
    this.box.addEventListener("input", (event) => {
      if (event.target.name?.startsWith("hang_")) this.soon();
    });
    this.box.addEventListener("pointerdown", (event) => this.take(event));
    this.box.addEventListener("keydown", (event) => this.keys(event));
    addEventListener("bench-moved", () => this.soon());
    this.load();
  },

  soon() {
    this.turn += 1;
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.load(), 350);
  },

  own() {
    const own = new URLSearchParams();
    for (const input of this.box.querySelectorAll("[name^=hang_]")) {
      if (input.type === "checkbox" ? input.checked : input.value !== "")
        own.set(input.name, input.value);
    }
    return own;
  },

  async load() {
    const turn = (this.turn += 1);
    const asked = this.asked();
    await this.fill(turn, this.box, `${this.box.dataset.url}?${asked}`);
    for (const solid of this.box.querySelectorAll(".orbit")) orbit(solid);
    const advice = this.box.querySelector("#hung-advice");
    if (advice && turn === this.turn)
      await this.fill(turn, advice, `${this.box.dataset.url}/advice?${asked}`);
  },

  // What the sliders of the bench and those of this part ask for.
  asked() {
    const bench = /** @type {HTMLElement} */ (document.querySelector(".bench"));
    const asked = new URLSearchParams(bench?.dataset.query ?? location.search);
    const own = this.box.querySelector("[name^=hang_]")
      ? this.own()
      : new URLSearchParams(location.search);
    for (const [name, value] of own) if (name.startsWith("hang_")) asked.set(name, value);
    return asked;
  },

  // Put an answer, or why there is none, into a part, unless the sliders have moved on meanwhile.
  async fill(turn, box, url) {
    box.setAttribute("aria-busy", "true");
    try {
      const html = await ask(url);
      if (turn === this.turn) swap(box, html);
    } catch (error) {
      if (turn === this.turn) box.textContent = error.message;
    }
    if (turn === this.turn) box.setAttribute("aria-busy", "false");
  },

  lift(name, by) {
    const at = this.box.querySelector("[name=hang_at]");
    const range = this.box.querySelector("[name=hang_by]");
    this.turn += 1;
    at.value = name;
    range.value = by;
    range.previousElementSibling.textContent = shown(Number(range.value), range.dataset.units, "m");
    for (const handle of this.box.querySelectorAll("[data-lift]"))
      handle.classList.toggle("is-chosen", handle.dataset.lift === name);
  },

  by(name) {
    return this.box.querySelector("[name=hang_at]").value === name
      ? Number(this.box.querySelector("[name=hang_by]").value)
      : 0;
  },

  // Up with the pointer lifts the cloth: a hundred pixels are half a metre.
  take(event) {
    const handle = event.target.closest?.("[data-lift]");
    if (!handle) return;
    event.preventDefault();
    const [name, from] = [handle.dataset.lift, event.clientY];
    const start = this.by(name);
    let moved = false;
    const drag = (move) => {
      moved = true;
      this.lift(name, Math.round((start + (from - move.clientY) * 0.005) / STEP) * STEP);
    };
    const end = () => {
      removeEventListener("pointermove", drag);
      if (!moved) this.lift(name, start || 0.1);
      this.load();
    };
    addEventListener("pointermove", drag);
    addEventListener("pointerup", end, { once: true });
  },

  keys(event) {
    const handle = event.target.closest?.("[data-lift]");
    const step = { ArrowUp: STEP, ArrowDown: -STEP, Enter: STEP, " ": STEP }[event.key];
    if (!handle || step === undefined) return;
    event.preventDefault();
    this.lift(handle.dataset.lift, this.by(handle.dataset.lift) + step);
    this.soon();
  },
});
