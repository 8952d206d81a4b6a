// The plan: asks for jobs and shows how far they are, moves people and shelters, fixes what is to
// stay. All figures come from the server; the map is the ground's.
import { ground } from "./ground.js";
import { ask, fault, swap, toast } from "./talk.js";

export const plan = () => {
  const map = ground();
  return {
    ...map,

    init() {
      this.planUrl = this.$root.dataset.plan;
      map.init.call(this);
      const root = this.$root;
      root.addEventListener("click", (e) => this.press(e));
      root.addEventListener("change", (e) => {
        if (e.target.dataset.personTo) this.bed(e.target.dataset.personTo, e.target.value);
      });
      root.addEventListener("submit", (e) => this.form(e));
      root.addEventListener("dragstart", (e) => {
        const chip = e.target.closest?.("[data-person]");
        if (chip) e.dataTransfer.setData("text/plain", chip.dataset.person);
      });
      root.addEventListener("dragover", (e) => {
        const box = e.target.closest("[data-drop]");
        if (box) {
          e.preventDefault();
          this.over(box);
        }
      });
      root.addEventListener("dragleave", () => this.over(null));
      root.addEventListener("drop", (e) => {
        const box = e.target.closest("[data-drop]");
        this.over(null);
        if (!box) return;
        e.preventDefault();
        this.bed(e.dataTransfer.getData("text/plain"), box.dataset.drop);
      });
    },

    over(box) {
      this.$root.querySelector(".drop-here")?.classList.remove("drop-here");
      box?.classList.add("drop-here");
    },

    // A site without a map leaves the box empty and says so.
    take(holder) {
      const made = holder.querySelector("[data-map]");
      if (made.content.querySelector("svg")) {
        map.take.call(this, holder);
        return;
      }
      this.$refs.map.innerHTML =
        '<p class="empty">Nothing is mapped at this site. The plan counts trees instead; ' +
          "survey the ground and it places every shelter.</p>";
      for (const which of ["undo", "redo"]) {
        const words = holder.querySelector(`[data-${which}-words]`).textContent;
        this.$root.querySelector(`[data-${which}]`).textContent = words;
        this.$root.querySelector(`[data-act=${which}]`).disabled = !words;
      }
    },
    set(view) {
      if (this.svg) map.set.call(this, view);
    },

    // Whatever the ground's answer shows, this page shows the plan.
    async send(url, options) {
      try {
        await ask(url === "/view" ? `${this.planUrl}/view` : this.url + url, options);
      } catch (error) {
        toast(error.message);
        return false;
      }
      return this.show("/view");
    },

    async show(url, options) {
      const lists = this.$refs.lists;
      lists.setAttribute("aria-busy", "true");
      try {
        this.showText(await ask(this.planUrl + url, options));
        return true;
      } catch (error) {
        toast(error.message);
        return false;
      } finally {
        lists.removeAttribute("aria-busy");
      }
    },

    post(url, json) {
      return this.show(url, { method: "POST", json });
    },

    // The rule that a choice breaks is named before the choice is made, which is only knowingly.
    async bed(person, shelter) {
      const to = { shelter: shelter ? Number(shelter) : null };
      try {
        this.showText(await ask(`${this.planUrl}/people/${person}`, { method: "POST", json: to }));
      } catch (error) {
        if (error.status !== 409) {
          toast(error.message);
          return this.show("/view");
        }
        const knowing = confirm(
          `This breaks a rule of the course: ${error.message}.\n\n` +
              "Do it all the same? It stays marked until it is changed or accepted.",
        );
        return knowing ? this.post(`/people/${person}`, { ...to, knowing }) : this.show("/view");
      }
    },

    showText(html) {
      swap(this.$refs.lists, html, "details[data-fold]");
      this.take(this.$refs.lists);
    },

    async press(event) {
      const fold = event.target.closest('a[href^="#"]');
      if (fold) document.querySelector(fold.hash).open = true;
      const button = event.target.closest("button");
      if (!button) return;
      const d = button.dataset;
      if (d.job) this.job({ kind: d.job, few_moves: d.few === "yes" });
      else if (d.act === "cancel" && this.running)
        ask(`${this.planUrl}/jobs/${this.running}/cancel`, { method: "POST" }).catch((e) =>
          toast(e.message),
        );
      else if (d.lock) this.post("/locks", { kind: d.lock, number: Number(d.number) });
      else if (d.accept) this.post("/accept", { shelter: Number(d.in), rule: d.accept });
      else if (d.use) this.post(`/use/${d.use}`);
      else if (d.take) this.post(`/named/${d.take}/take`);
      else if (d.dropNamed) this.show(`/named/${d.dropNamed}`, { method: "DELETE" });
      else if (d.unpair)
        this.post("/pairs", { kind: d.unpair, one: Number(d.one), two: Number(d.two) });
      else if (d.repair) {
        if (await this.post("/repair", JSON.parse(d.repair))) this.job({ kind: "plan" });
      } else if (d.aim) this.rank(d.aim, Number(d.by));
    },

    // Undo and redo are the plan's own here.
    async act(event) {
      const which = event.target.closest("[data-act]")?.dataset.act;
      if (which === "undo" || which === "redo")
        this.show(`/undo?redo=${which === "redo"}`, { method: "POST" });
      else if (which !== "cancel") map.act.call(this, event);
    },

    rank(aim, by) {
      const order = [...this.$refs.lists.querySelectorAll('[data-aim][data-by="1"]')].map(
        (b) => b.dataset.aim,
      );
      const at = order.indexOf(aim);
      [order[at], order[at + by]] = [order[at + by], order[at]];
      this.post("/aims", { aims: order });
    },

    async form(event) {
      const form = event.target;
      const values = Object.fromEntries(new FormData(form));
      if (form.matches("[data-keep]")) {
        event.preventDefault();
        if (!values.name.trim()) {
          fault(form.elements.name, "give the plan a name");
          return;
        }
        this.show("/named", { method: "POST", form: new FormData(form) });
      } else if (form.matches("[data-pair]")) {
        event.preventDefault();
        this.post("/pairs", {
          kind: values.kind,
          one: Number(values.one),
          two: Number(values.two),
        });
      } else if (form.matches("[data-evening]")) {
        event.preventDefault();
        const late = values.person
          ? { person: Number(values.person), late_min: Number(values.late_min || 0) }
          : {};
        if (
          await this.post("/evening", {
            arrival: values.arrival || null,
            mallets: Number(values.mallets) || null,
            ...late,
          })
        )
          this.job({ kind: "evening" });
      } else if (form.matches("[data-hurt]")) {
        event.preventDefault();
        this.job({ kind: "mishap", hurt: Number(values.hurt) });
      }
    },

    // A job: its news come as they happen, until it ends.
    async job(wanted) {
      let job;
      delete this.$root.dataset.ended;
      try {
        job = await ask(`${this.planUrl}/jobs`, { method: "POST", json: wanted });
      } catch (error) {
        toast(error.message);
        return;
      }
      this.running = job.id;
      this.news?.close();
      this.tell(job);
      this.news = new EventSource(`${this.planUrl}/jobs/${job.id}/events`);
      this.news.onmessage = (e) => {
        const told = JSON.parse(e.data);
        this.tell(told);
        if (told.open) return;
        this.news.close();
        this.running = null;
        this.$refs.job.hidden = true;
        if (told.state === "failed") toast(told.words);
        this.show("/view").then(() => {
          this.$root.dataset.ended = `${told.kind} ${told.state}`;
        });
      };
      this.news.onerror = () => {
        if (this.running) this.say("The worker's news are interrupted; trying again.");
      };
    },

    tell(job) {
      const box = this.$refs.job;
      box.hidden = false;
      const seconds = job.progress.seconds ? ` (${Math.round(job.progress.seconds)} s)` : "";
      box.querySelector("[data-words]").textContent =
        (job.progress.words || "Waiting for a worker") + seconds;
      box.querySelector("[data-reached]").replaceChildren(
        ...(job.progress.reached ?? []).map((r) => {
          const item = document.createElement("li");
          item.textContent = `${r.name}: ${r.told}${r.value <= r.bound ? " (proved)" : ""}`;
          return item;
        }),
      );
    },

    // Put down by hand: fixed there, the rest is planned round it on demand.
    async keep(group, dx, dy, turn, snap = false) {
      const id = group.dataset.shelter;
      await map.keep.call(this, group, dx, dy, turn, snap);
      const lock = this.$refs.lists.querySelector(
        `[data-row-shelter="${id}"] [data-lock=standing][aria-pressed=false]`,
      );
      if (lock)
        await this.post("/locks", { kind: "standing", number: Number(lock.dataset.number) });
    },
  };
};
