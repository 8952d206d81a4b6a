// Drills: one at a time, scored here against what the engine worked out, told why; answers are sent
// now or when there is network.
import { read } from "./lengths.js";
import { Waiting } from "./waiting.js";

const RIGHT = "Right.";
const WRONG = "Not this time.";

// Whether an answer is right: one of several, steps in an order, or an estimate near enough.
export const isRight = (form, right, answer, share = 0) => {
  if (form === "choice") return right.includes(answer);
  if (form === "order") return right.every((text, n) => text === answer[n]);
  return Math.abs(answer - right) <= share * right;
};

export class Round {
  constructor(root, name, url) {
    this.root = root;
    this.url = url;
    this.waiting = new Waiting(`waiting practice ${name}`);
    this.all = [];
    this.coming = root.querySelectorAll("[data-kind]").length;
    this.at = 0;
    this.known = 0;
    root.addEventListener("click", (event) => this.pressed(event));
    root.addEventListener("submit", (event) => this.estimated(event));
    this.sendAll();
  }

  // One kind of drill after the other, those first that are made at once.
  async fetchAll() {
    for (const box of this.root.querySelectorAll("[data-kind]")) {
      const answer = await fetch(box.dataset.url).catch(() => null);
      if (answer?.ok) box.innerHTML = await answer.text();
      const shown = this.all.length > this.at;
      this.all.push(...box.querySelectorAll(".drill"));
      this.coming -= 1;
      if (!shown) this.show();
      this.count();
    }
    this.root.dataset.done = "yes";
  }

  get drill() {
    return this.all[this.at];
  }

  count() {
    const more = this.coming ? "; more are being made" : "";
    const place = `${this.at + 1} of ${this.all.length}; ${this.known} right so far${more}.`;
    const none = this.coming ? "Making drills …" : "";
    this.root.querySelector("[data-count]").textContent = this.drill ? place : none;
  }

  pressed({ target }) {
    const button = target.closest("button");
    if (!button) return;
    if (button.dataset.move) this.move(button);
    else if ("next" in button.dataset) this.next();
    else if (!this.drill || "scored" in this.drill.dataset) return;
    else if (button.dataset.answer !== undefined) this.chosen(button);
    else if ("check" in button.dataset)
      this.score([...this.drill.querySelectorAll("[data-step]")].map((one) => one.dataset.text));
  }

  move(button) {
    const step = button.closest("[data-step]");
    if (button.dataset.move === "-1") step.previousElementSibling?.before(step);
    else step.nextElementSibling?.after(step);
    button.focus();
  }

  chosen(button) {
    const right = JSON.parse(this.drill.dataset.right);
    button.dataset.mine = "yes";
    for (const one of this.drill.querySelectorAll("[data-answer]")) {
      if (right.includes(Number(one.dataset.answer))) one.dataset.good = "yes";
      else if (one === button) one.dataset.bad = "yes";
    }
    this.score(Number(button.dataset.answer));
  }

  estimated(event) {
    event.preventDefault();
    const form = event.target.closest("[data-estimate]");
    if (!form || "scored" in this.drill.dataset) return;
    const { units, perUnit } = this.drill.dataset;
    const value = read(form.elements.value.value, units, Number(perUnit));
    form.querySelector("[data-fault]").hidden = value !== null;
    if (value !== null) this.score(value);
  }

  score(answer) {
    const { form, right, share, item } = this.drill.dataset;
    const good = isRight(form, JSON.parse(right), answer, Number(share));
    this.drill.dataset.scored = good ? "right" : "wrong";
    this.known += good;
    this.drill.querySelector("[data-verdict]").textContent = good ? RIGHT : WRONG;
    this.drill.querySelector(".told").hidden = false;
    this.drill.querySelector("[data-next]").focus();
    this.count();
    if (!this.url) return;
    this.waiting.put({ item, right: good });
    this.sendAll();
  }

  next() {
    this.drill.hidden = true;
    this.at += 1;
    this.show();
    this.count();
    this.root.querySelector(".drill:not([hidden]) h3, .drill-end h3")?.focus();
  }

  // The drill that it is the turn of; the end when all were answered; nothing while one is made.
  show() {
    if (this.drill) this.drill.hidden = false;
    else if (!this.coming) this.end();
  }

  end() {
    const end = this.root.querySelector(".drill-end");
    const none = "There is nothing to make drills from yet: enter a sheet and a night first.";
    const score = `${this.known} of ${this.all.length} right.`;
    end.querySelector("[data-score]").textContent = this.all.length ? score : none;
    end.hidden = false;
  }

  async sendAll() {
    if (!this.url) return;
    await this.waiting.send(async ({ id, at, item, right }) => {
      const answer = await fetch(this.url, {
        method: "POST",
        headers: { "Content-Type": "application/json", Accept: "application/json" },
        body: JSON.stringify({ answers: [{ key: id, item, right, at }] }),
      });
      return answer.status < 500 && answer.status !== 401 && answer.status !== 429;
    });
    const count = this.waiting.list().length;
    const told = count ? `${count} ${count === 1 ? "answer waits" : "answers wait"}.` : "";
    this.root.querySelector("[data-waits]").textContent = told;
  }
}

// On the leaders' screen.
export const drills = () => ({
  init() {
    const { person, send } = this.$root.dataset;
    const round = new Round(this.$root, person, send);
    addEventListener("online", () => round.sendAll());
    round.fetchAll();
  },
});

const STAGES = [
  ["start", "Start the watch", "Ridge up"],
  ["ridge", "Ridge up", "Stakes in"],
  ["stakes", "Stakes in", "Walked round"],
  ["round", "Walked round", "Start anew"],
];

// Times a pitch: each press notes the stage that was reached.
export const stopwatch = () => ({
  next: STAGES[0][1],
  told: "",
  stage: 0,
  init() {
    this.told = this.$root.querySelector("[x-text=told]").textContent;
  },
  press() {
    const [name, , following] = STAGES[this.stage];
    if (name === "start") {
      this.began = Date.now();
      this.$refs.splits.value = "";
      this.told = "Running.";
    } else {
      const seconds = Math.round((Date.now() - this.began) / 1000);
      const clock = `${Math.floor(seconds / 60)}:${String(seconds % 60).padStart(2, "0")}`;
      this.$refs.splits.value = `${this.$refs.splits.value} ${name}=${seconds}`.trim();
      this.$refs.took.value = clock;
      this.told = `${STAGES[this.stage][1]} after ${clock}.`;
    }
    this.stage = (this.stage + 1) % STAGES.length;
    this.next = this.stage ? following : "Start anew";
  },
});
