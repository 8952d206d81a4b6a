// The board: fetches the solved rows, filters them, opens the choice.
import { ask, toast } from "./talk.js";

export const board = () => ({
  init() { this.load(); },

  async load() {
    const rows = this.$refs.rows;
    rows.setAttribute("aria-busy", "true");
    delete this.$root.dataset.done;
    try {
      rows.innerHTML = await ask(`${this.$root.dataset.url}?wanted=${this.$root.querySelector("[name=wanted]").value}`);
      this.filter();
      this.$root.dataset.done = "yes";
    } catch (error) {
      toast(error.message);
    }
    rows.setAttribute("aria-busy", "false");
  },

  filter() {
    const at = (name) => this.$root.querySelector(`[data-filter="${name}"]`);
    const owner = at("owner").value.trim().toLowerCase();
    const [verdict, sleepers, family] = [at("verdict").value, Number(at("sleepers").value) || 0, at("family").value];
    const sit = at("sit").checked;
    let left = 0;
    for (const head of this.$root.querySelectorAll("thead th[data-family]")) {
      head.hidden = Boolean(family) && head.dataset.family !== family;
    }
    for (const row of this.$refs.rows.querySelectorAll("tr[data-owner]")) {
      let shown = 0;
      for (const cell of row.querySelectorAll("td.cell")) {
        cell.hidden = Boolean(family) && cell.dataset.family !== family;
        const passes = (!verdict || cell.dataset.verdict === verdict) && Number(cell.dataset.sleepers) >= sleepers
          && (!sit || cell.dataset.sit === "1");
        cell.classList.toggle("filtered", !passes);
        if (passes && !cell.hidden) shown += 1;
      }
      row.hidden = !row.dataset.owner.includes(owner) || shown === 0;
      if (!row.hidden) left += 1;
    }
    this.$refs.none.hidden = left > 0;
  },

  async clicked(event) {
    const choose = event.target.closest("[data-choose]");
    if (event.target.closest("[data-close]")) { this.$refs.dialog.close(); return; }
    if (!choose) return;
    try {
      this.$refs.dialog.innerHTML = await ask(choose.dataset.choose);
      this.$refs.dialog.showModal();
    } catch (error) { toast(error.message); }
  },
});
