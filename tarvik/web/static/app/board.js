// The board: fetches the solved rows, filters them, moves among them, opens the choice.
import { ask, toast } from "./talk.js";
import { atOnce } from "./rows.js";

const MOST_COMPARED = 4;

export const board = () => ({
  init() {
    this.load();
  },

  at(name) {
    return this.$root.querySelector(`[data-filter="${name}"]`);
  },

  cells() {
    return [...this.$refs.rows.querySelectorAll(".cell")];
  },

  sheetRows() {
    return [...this.$refs.rows.querySelectorAll(".sheet-row")];
  },

  address(sheet, show) {
    const wanted = this.$root.querySelector("[name=wanted]").value;
    return `${this.$root.dataset.url}?wanted=${wanted}&show=${show}&sheets=${sheet}`;
  },

  // Row by row, two at a time: what is done is there to be read.
  async load() {
    const rows = this.$refs.rows;
    const turn = (this.turn = (this.turn || 0) + 1);
    const show = this.$root.querySelector("[name=show]").value;
    const order = this.$root.dataset.sheets.split(",");
    const working = rows.querySelector(".working");
    rows.setAttribute("aria-busy", "true");
    delete this.$root.dataset.done;
    if (!working) rows.replaceChildren();
    let done = 0;
    const put = (sheet, row) => {
      row.dataset.place = order.indexOf(sheet);
      const later = (other) => Number(other.dataset.place) > Number(row.dataset.place);
      rows.insertBefore(
        row,
        this.sheetRows().find(later) ?? (working?.isConnected ? working : null),
      );
      done += 1;
      this.tell(done, order.length);
      this.pick();
    };
    try {
      await atOnce(order, 2, async (sheet) => {
        const row = this.made(await ask(this.address(sheet, show)));
        if (turn === this.turn && row) put(sheet, row);
      });
      if (turn !== this.turn) return;
      working?.remove();
      this.filter();
      this.$root.dataset.done = "yes";
    } catch (error) {
      toast(error.message);
    }
    rows.setAttribute("aria-busy", "false");
    if (turn === this.turn) this.$refs.hanging.hidden = true;
  },

  made(html) {
    const made = document.createElement("div");
    made.innerHTML = html;
    return /** @type {HTMLElement} */ (made.querySelector(".sheet-row"));
  },

  tell(done, all) {
    this.$refs.hanging.hidden = done === all;
    this.$refs.hanging.textContent = `Working out how each sheet sags: ${done} of ${all}`;
  },

  // On a phone one sheet is shown at a time: the one picked, else the first.
  pick(step = 0) {
    const select = this.$root.querySelector("[data-pick]");
    const last = select.options.length - 1;
    if (step) select.selectedIndex = Math.min(Math.max(select.selectedIndex + step, 0), last);
    for (const row of this.sheetRows()) {
      row.classList.toggle("is-picked", row.dataset.sheet === select.value);
    }
  },

  // Filters look at every pitch of a sheet, not at the best alone.
  filter(event) {
    if (event?.target?.matches?.("[data-pick]")) {
      this.pick();
      return;
    }
    const shown = this.$root.querySelector("[name=show]");
    const [verdict, family] = [this.at("verdict").value, this.at("family").value];
    const [sleepers, sit] = [Number(this.at("sleepers").value) || 0, this.at("sit").checked];
    const wanted = verdict === "cannot" ? "all" : "works";
    if ((verdict || family || sleepers || sit) && shown.value !== "all" && shown.value !== wanted) {
      shown.value = wanted;
      this.load();
      return;
    }
    const passes = (told) =>
      (!verdict || told.verdict === verdict) &&
      (!family || told.family === family) &&
      Number(told.sleepers) >= sleepers &&
      (!sit || told.sit === "1");
    const owner = this.at("owner").value.trim().toLowerCase();
    for (const row of this.sheetRows()) {
      const cells = [...row.querySelectorAll(".cell")];
      for (const cell of cells) cell.hidden = !passes(cell.dataset);
      row.hidden = !row.dataset.owner.includes(owner) || cells.every((cell) => cell.hidden);
    }
    this.$refs.none.hidden = this.sheetRows().some((row) => !row.hidden);
    this.rove(this.cells().find((cell) => cell.querySelector("[tabindex='0']")));
  },

  // One cell of the grid is a stop of the tab key: the one last moved to, else the first.
  rove(to) {
    const open = this.cells().filter((cell) => !cell.hidden && !cell.parentElement.hidden);
    const here = open.includes(to) ? to : open[0];
    for (const part of this.$refs.rows.querySelectorAll(".cell [tabindex]")) {
      part.tabIndex = here?.contains(part) ? 0 : -1;
    }
  },

  focused(event) {
    const cell = event.target.closest(".cell");
    if (cell) this.rove(cell);
  },

  keys(event) {
    const cell = event.target.closest(".cell");
    const moves = { ArrowRight: [1, 0], ArrowLeft: [-1, 0], ArrowDown: [0, 1], ArrowUp: [0, -1] };
    const move = moves[event.key];
    if (!cell || !move) return;
    event.preventDefault();
    const rows = this.sheetRows().filter((row) => !row.hidden && row.offsetParent);
    const open = (row) => [...row.querySelectorAll(".cell:not([hidden])")];
    const at = rows.indexOf(cell.parentElement);
    const column = open(cell.parentElement).indexOf(cell);
    const row = open(rows[Math.min(Math.max(at + move[1], 0), rows.length - 1)]);
    const next = row[Math.min(Math.max(column + move[0], 0), row.length - 1)];
    next.querySelector(".cell-link").focus();
  },

  compared() {
    return [...this.$refs.rows.querySelectorAll("[data-compare]:checked")];
  },

  tick(box) {
    if (this.compared().length > MOST_COMPARED) box.checked = false;
    const count = this.compared().length;
    const button = this.$root.querySelector("[data-compare-now]");
    button.disabled = count < 2;
    button.textContent = count < 2 ? "Compare (tick 2 to 4)" : `Compare ${count} side by side`;
  },

  async all(button) {
    const old = button.closest(".sheet-row");
    const row = this.made(await ask(this.address(button.dataset.all, "all")));
    if (!row) return;
    row.dataset.place = old.dataset.place;
    row.classList.add("is-whole");
    old.replaceWith(row);
    this.pick();
    this.filter();
    this.first(row).focus();
  },

  first(row) {
    return row.querySelector(".cell-link");
  },

  async clicked(event) {
    const on = (selector) => event.target.closest(selector);
    try {
      if (on("[data-compare-now]")) {
        const picked = this.compared().map((box) => `c=${box.dataset.compare}`);
        location.href = `${this.$root.dataset.compare}?${picked.join("&")}`;
      } else if (event.target.matches("[data-compare]")) {
        this.tick(event.target);
      } else if (on("[data-step]")) {
        this.pick(Number(on("[data-step]").dataset.step));
      } else if (on("[data-all]")) {
        await this.all(on("[data-all]"));
      } else if (on("[data-close]")) {
        this.$refs.dialog.close();
      } else if (on("[data-choose]")) {
        this.$refs.dialog.innerHTML = await ask(on("[data-choose]").dataset.choose);
        this.$refs.dialog.showModal();
      }
    } catch (error) {
      toast(error.message);
    }
  },
});
