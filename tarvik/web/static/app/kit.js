// A kit table: cells save on leaving, Enter goes down, Esc puts back, several pasted rows open the
// import preview.
import { ask, clear, fault, saveField, toast } from "./talk.js";

// On a phone one table is shown at a time; the styles decide where.
export const kitPage = () => ({
  init() {
    this.show(location.hash.slice(1) || this.$root.querySelector(".kit-section").id);
  },
  choose(event) {
    const link = event.target.closest(".jump a");
    if (link) this.show(link.hash.slice(1));
  },
  show(table) {
    const sections = [...this.$root.querySelectorAll(".kit-section")];
    if (!sections.some((section) => section.id === table)) return;
    for (const section of sections) section.classList.toggle("is-shut", section.id !== table);
    for (const link of this.$root.querySelectorAll(".jump a"))
      if (link.hash.slice(1) === table) link.setAttribute("aria-current", "true");
      else link.removeAttribute("aria-current");
  },
});

export const kitTable = () => ({
  get url() {
    return this.$root.dataset.url;
  },

  changed(event) {
    const input = event.target;
    if (input.matches("[data-heading]")) {
      this.preview();
      return;
    }
    if (input.matches("[data-file]")) {
      this.previewFile(input);
      return;
    }
    const row = input.closest("tr[data-id]");
    if (row && input.dataset.column) saveField(input, `${this.url}/${row.dataset.id}`, row);
  },

  keys(event) {
    const input = event.target;
    const row = input.closest("tr");
    if (!row || !input.dataset.column) return;
    if (event.key === "Escape" && input.dataset.was !== undefined) {
      input.value = input.dataset.was;
      clear(input);
    }
    if (event.key !== "Enter" || event.isComposing) return;
    event.preventDefault();
    if (row.dataset.new !== undefined) {
      this.add(row);
      return;
    }
    const down = event.shiftKey ? row.previousElementSibling : row.nextElementSibling;
    input.blur();
    down?.querySelector(`[data-column="${input.dataset.column}"]`)?.focus();
  },

  clicked(event) {
    const hit = (name) => event.target.closest(`[${name}]`);
    if (hit("data-delete")) this.remove(event.target.closest("tr"));
    else if (hit("data-add")) this.add(event.target.closest("tr"));
    else if (hit("data-restore")) this.bringBack(hit("data-restore"));
    else if (hit("data-columns")) this.columns(hit("data-columns"));
    else if (hit("data-more")) this.whole(hit("data-more"));
    else if (hit("data-import")) this.open("");
    else if (hit("data-close")) this.dialog().close();
    else if (hit("data-preview")) this.preview();
    else if (hit("data-import-now")) this.importNow(hit("data-import-now").dataset.importNow);
  },

  // Columns that most groups never need are folded away; on a phone a row shows its first cells.
  columns(button) {
    const shown = this.$root.classList.toggle("has-rare");
    button.setAttribute("aria-pressed", String(shown));
  },

  whole(button) {
    const open = button.closest("tr").classList.toggle("is-open");
    button.setAttribute("aria-expanded", String(open));
  },

  pasted(event) {
    const text = event.clipboardData?.getData("text") || "";
    if (!event.target.dataset.column || !/[\n\t]/.test(text.trim())) return;
    event.preventDefault();
    this.open(text);
    this.preview();
  },

  dialog() {
    return this.$root.querySelector("dialog");
  },
  area() {
    return this.$root.querySelector("[data-paste-text]");
  },
  out() {
    return this.$root.querySelector("[data-preview-out]");
  },

  open(text) {
    this.area().value = text || this.area().value;
    this.out().innerHTML = "";
    this.dialog().showModal();
    this.area().focus();
  },

  // What somebody said of headings that are none of the table's own.
  headings() {
    const told = [...this.out().querySelectorAll("[data-heading]")].filter((each) => each.value);
    return Object.fromEntries(told.map((each) => [each.dataset.heading, each.value]));
  },

  async preview() {
    try {
      this.out().innerHTML = await ask(`${this.url}/preview`, {
        method: "POST",
        json: { text: this.area().value, headings: this.headings() },
      });
    } catch (error) {
      this.say(error.message);
    }
  },

  async previewFile(input) {
    if (!input.files.length) return;
    const form = new FormData();
    form.append("file", input.files[0]);
    try {
      this.area().value = await input.files[0].text();
      this.out().innerHTML = await ask(`${this.url}/preview-file`, { method: "POST", form });
    } catch (error) {
      this.say(error.message);
    }
    input.value = "";
  },

  say(words) {
    const p = document.createElement("p");
    p.className = "fault";
    p.setAttribute("role", "alert");
    p.textContent = words;
    this.out().replaceChildren(p);
  },

  async importNow(how) {
    const json = { text: this.area().value, headings: this.headings(), skip: how === "skip" };
    try {
      await ask(`${this.url}/import`, { method: "POST", json });
      location.reload();
    } catch (error) {
      this.say(error.message);
    }
  },

  async add(row) {
    const cells = {};
    let missing = null;
    for (const input of row.querySelectorAll("[data-column]")) {
      clear(input);
      cells[input.dataset.column] = input.value;
      if (input.dataset.needed !== undefined && !input.value.trim()) missing ||= input;
    }
    if (missing) {
      fault(missing, "fill this in first");
      missing.focus();
      return;
    }
    try {
      const { html } = await ask(this.url, { method: "POST", json: { cells } });
      row.insertAdjacentHTML("beforebegin", html);
      this.$root.querySelector("[data-empty]")?.remove();
      for (const input of row.querySelectorAll("input"))
        input.value = input.dataset.column === "count" ? "1" : "";
      row.querySelector("[data-column]").focus();
    } catch (error) {
      const bad =
        row.querySelector(`[data-column="${error.problem?.field}"]`) ||
        row.querySelector("[data-column]");
      fault(bad, error.message);
      bad.focus();
    }
  },

  async bringBack(button) {
    try {
      const { html } = await ask(`${this.url}/${button.dataset.restore}/restore`, {
        method: "POST",
      });
      this.$root.querySelector("[data-new]").insertAdjacentHTML("beforebegin", html);
      button.closest("li").remove();
    } catch (error) {
      toast(error.message);
    }
  },

  async remove(row) {
    try {
      const { what } = await ask(`${this.url}/${row.dataset.id}`, { method: "DELETE" });
      const id = row.dataset.id;
      const next = row.nextElementSibling;
      row.remove();
      next?.querySelector("[data-column]")?.focus();
      toast(`Deleted ${what}.`, async () => {
        const { html } = await ask(`${this.url}/${id}/restore`, { method: "POST" });
        next.insertAdjacentHTML("beforebegin", html);
      });
    } catch (error) {
      toast(error.message);
    }
  },
});
