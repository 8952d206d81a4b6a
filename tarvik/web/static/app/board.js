// The board: fetches the solved rows, filters them, opens the choice.
import { ask, toast } from "./talk.js";

export const board = () => ({
  init() { this.load(); },

  // Row by row, two at a time: what is done is there to be read.
  async load() {
    const rows = this.$refs.rows;
    const turn = (this.turn = (this.turn || 0) + 1);
    rows.setAttribute("aria-busy", "true");
    delete this.$root.dataset.done;
    const wanted = this.$root.querySelector("[name=wanted]").value;
    const waiting = this.$root.dataset.sheets.split(",");
    const order = [...waiting];
    let done = 0;
    const working = rows.querySelector(".working")?.closest("tr") ?? null;
    if (!working) rows.innerHTML = "";
    const worker = async () => {
      for (let sheet = waiting.shift(); sheet; sheet = waiting.shift()) {
        const html = await ask(`${this.$root.dataset.url}?wanted=${wanted}&sheets=${sheet}`);
        if (turn !== this.turn) return;
        const made = document.createElement("tbody");
        made.innerHTML = html;
        const row = made.querySelector("tr");
        if (!row) continue;
        row.dataset.place = order.indexOf(sheet);
        const next = [...rows.querySelectorAll("tr[data-place]")].find((r) => Number(r.dataset.place) > Number(row.dataset.place));
        rows.insertBefore(row, next ?? (working?.isConnected ? working : null));
        done += 1;
        this.tell(done, order.length);
      }
    };
    try {
      await Promise.all([worker(), worker()]);
      if (turn !== this.turn) return;
      working?.remove();
      this.order();
      this.filter();
      this.$root.dataset.done = "yes";
    } catch (error) {
      toast(error.message);
    }
    rows.setAttribute("aria-busy", "false");
    if (turn === this.turn) this.$refs.hanging.hidden = true;
  },

  tell(done, all) {
    this.$refs.hanging.hidden = done === all;
    this.$refs.hanging.textContent = `Hanging the sheets: ${done} of ${all} done.`;
  },

  // Columns by family, or the pitches that serve most sheets best tonight first.
  order() {
    const best = this.$root.querySelector("[data-order]").value === "best";
    const heads = [...this.$root.querySelectorAll("thead th[data-pitch]")];
    heads.forEach((h, i) => { h.dataset.home ??= i; });
    const worth = Object.fromEntries(heads.map((h) => [h.dataset.pitch, 0]));
    for (const cell of this.$refs.rows.querySelectorAll("td.cell")) worth[cell.dataset.pitch] += Math.max(0, Number(cell.dataset.worth));
    heads.sort((a, b) => (best ? worth[b.dataset.pitch] - worth[a.dataset.pitch] : 0) || a.dataset.home - b.dataset.home);
    for (const row of [this.$root.querySelector("thead tr"), ...this.$refs.rows.querySelectorAll("tr[data-owner]")]) {
      for (const head of heads) row.append(row.querySelector(`[data-pitch="${head.dataset.pitch}"]`));
    }
  },

  filter(event) {
    if (event?.target?.matches?.("[data-order]")) this.order();
    const at = (name) => this.$root.querySelector(`[data-filter="${name}"]`);
    const owner = at("owner").value.trim().toLowerCase();
    const [verdict, sleepers, family] = [at("verdict").value, Number(at("sleepers").value) || 0, at("family").value];
    const sit = at("sit").checked;
    let left = 0;
    const can = new Set([...this.$refs.rows.querySelectorAll('td.cell:not([data-verdict="cannot"])')].map((c) => c.dataset.pitch));
    const possible = at("possible").checked && can.size > 0;
    const away = (part) => (Boolean(family) && part.dataset.family !== family) || (possible && !can.has(part.dataset.pitch));
    for (const head of this.$root.querySelectorAll("thead th[data-family]")) head.hidden = away(head);
    for (const row of this.$refs.rows.querySelectorAll("tr[data-owner]")) {
      let shown = 0;
      for (const cell of row.querySelectorAll("td.cell")) {
        cell.hidden = away(cell);
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
    if (event.target.closest("[data-compare-now]")) {
      const picked = [...this.$refs.rows.querySelectorAll("[data-compare]:checked")].map((c) => `c=${c.dataset.compare}`);
      location.href = `${this.$root.dataset.compare}?${picked.join("&")}`;
      return;
    }
    if (event.target.matches("[data-compare]")) {
      const picked = [...this.$refs.rows.querySelectorAll("[data-compare]:checked")];
      if (picked.length > 4) event.target.checked = false;
      const count = Math.min(picked.length, 4);
      const button = this.$root.querySelector("[data-compare-now]");
      button.disabled = count < 2;
      button.textContent = count < 2 ? "Compare (tick 2 to 4)" : `Compare ${count} side by side`;
      return;
    }
    const choose = event.target.closest("[data-choose]");
    if (event.target.closest("[data-close]")) { this.$refs.dialog.close(); return; }
    if (!choose) return;
    try {
      this.$refs.dialog.innerHTML = await ask(choose.dataset.choose);
      this.$refs.dialog.showModal();
    } catch (error) { toast(error.message); }
  },
});
