// The bench: sends the sliders' values while they move, shows the newest answer only.
import { ask, toast } from "./talk.js";

const shown = (metres, units) => {
  if (units === "metric") return `${metres.toFixed(2)} m`;
  const inches = Math.round(metres / 0.0254);
  const [feet, rest] = [Math.floor(inches / 12), inches % 12];
  if (feet && rest) return `${feet} ft ${rest} in`;
  return feet ? `${feet} ft` : `${rest} in`;
};

export const bench = () => ({
  waiting: false,
  again: false,

  query() {
    const params = new URLSearchParams();
    for (const input of this.$root.querySelectorAll(".sliders [name]")) {
      if (input.value !== "") params.set(input.name, input.value);
    }
    return params;
  },

  moved(event) {
    if (event?.target?.closest("dialog")) return;
    for (const input of this.$root.querySelectorAll('input[type="range"]')) {
      input.previousElementSibling.textContent = shown(Number(input.value), input.dataset.units);
    }
    this.refresh();
  },

  async refresh() {
    if (this.waiting) { this.again = true; return; }
    this.waiting = true;
    this.$refs.view.setAttribute("aria-busy", "true");
    try {
      const open = [...this.$refs.view.querySelectorAll("details.figure")].map((d) => d.open);
      const query = this.query();
      const html = await ask(`${this.$root.dataset.url}?${query}`);
      this.$refs.view.innerHTML = html;
      [...this.$refs.view.querySelectorAll("details.figure")].forEach((d, i) => { d.open = Boolean(open[i]); });
      history.replaceState(null, "", `?${query}`);
    } catch (error) {
      toast(error.message);
    } finally {
      this.waiting = false;
      this.$refs.view.setAttribute("aria-busy", "false");
    }
    if (this.again) { this.again = false; this.refresh(); }
  },

  async clicked(event) {
    const best = event.target.closest("[data-best]");
    if (best) best.search = `?best=1&wanted=${this.$root.querySelector("[name=wanted]").value}`;
    if (event.target.closest("[data-close]")) { this.$refs.dialog.close(); return; }
    if (!event.target.closest("[data-choose-now]")) return;
    const query = this.query();
    query.delete("person");
    query.delete("wanted");
    try {
      this.$refs.dialog.innerHTML = await ask(`${this.$root.dataset.choose}?${query}`);
      this.$refs.dialog.showModal();
    } catch (error) { toast(error.message); }
  },
});
