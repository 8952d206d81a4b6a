// The night: fields save themselves, what follows is fetched anew; forecasts are looked at before
// they are kept.
import { swap } from "./swap.js";
import { ask, button, saveField, toast } from "./talk.js";

const READINGS = 12;
// Fields that refuse each other while only one is right.
const PAIRS = [
  ["wind_m_s", "gust_m_s"],
  ["lowest_c", "highest_c"],
  ["latitude", "longitude"],
];

export const night = () => ({
  measuring: false,
  turn: 0,

  save(event) {
    const input = event.target;
    if (input === this.$refs.file) {
      this.readFile(input);
      return;
    }
    const { column } = input.dataset;
    if (!column) return;
    const other = PAIRS.find((pair) => pair.includes(column))?.find((name) => name !== column);
    const partner = other ? this.$root.querySelector(`[data-column=${other}]`) : null;
    saveField(input, this.$root.dataset.url, this.$root, () => this.refresh(), partner);
  },

  async refresh() {
    const turn = (this.turn += 1);
    try {
      const html = await ask(`${this.$root.dataset.url}/outcome`);
      if (turn === this.turn) swap(this.$refs.outcome, html);
    } catch (error) {
      toast(error.message);
    }
  },

  async readFile(input) {
    const [file] = input.files;
    if (!file) return;
    if (file.size > 400000) {
      toast("This file is too large for a forecast: 400,000 letters at most.");
      return;
    }
    this.$refs.text.value = await file.text();
    this.preview();
  },

  form() {
    const form = new FormData();
    form.set("text", this.$refs.text.value);
    return form;
  },

  async preview() {
    try {
      this.$refs.preview.innerHTML = await ask(`${this.$root.dataset.url}/import/preview`, {
        method: "POST",
        form: this.form(),
      });
    } catch (error) {
      this.$refs.preview.textContent = "";
      const note = document.createElement("p");
      note.className = "fault";
      note.setAttribute("role", "alert");
      note.textContent = error.message;
      this.$refs.preview.append(note);
    }
  },

  async clicked(event) {
    if (event.target.closest("[data-import-forecast]")) {
      try {
        await ask(`${this.$root.dataset.url}/import`, { method: "POST", form: this.form() });
        location.reload();
      } catch (error) {
        toast(error.message);
      }
    }
    if (event.target.closest("[data-meter]") && !this.measuring) this.measure();
  },

  async measure() {
    const said = this.$refs.meter;
    const readings = [];
    this.measuring = true;
    try {
      while (readings.length < READINGS) {
        const reading = await ask(`${this.$root.dataset.url}/meter`);
        readings.push(reading.wind_m_s);
        const far = `${readings.length} of ${READINGS} readings`;
        said.textContent = `${reading.shown} · ${far}, hold it up at head height`;
        await new Promise((done) => {
          setTimeout(done, 1000);
        });
      }
      await this.meant(readings, false);
    } catch (error) {
      said.textContent = error.message;
    } finally {
      this.measuring = false;
    }
  },

  // What the readings mean, taken for here or for open ground; kept only when somebody says so.
  async meant(readings, open) {
    const said = this.$refs.meter;
    const post = (keep) =>
      ask(`${this.$root.dataset.url}/measured`, {
        method: "POST",
        json: { wind_m_s: readings, open, keep },
      });
    const { told } = await post(false);
    const fail = (error) => toast(error.message);
    said.replaceChildren(
      told,
      " ",
      button("Take it as tonight's wind", () => post(true).then(() => location.reload(), fail)),
      " ",
      button(open ? "It was taken here" : "It was taken on open ground", () =>
        this.meant(readings, !open).catch(fail),
      ),
      " ",
      button("Leave it", () => said.replaceChildren()),
    );
  },
});
