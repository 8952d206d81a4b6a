// The ground: shows and moves the map, sends every change, puts shelters on it. All figures come
// from the server.
import { ask, fault, swap, toast } from "./talk.js";

const PX = 100; // of the drawing to a metre
const NUDGE = 0.1;

export const ground = () => ({
  init() {
    this.url = this.$root.dataset.url;
    this.frame = null;
    this.take(this.$refs.lists);
    const map = this.$refs.map;
    map.addEventListener(
      "wheel",
      (e) => {
        e.preventDefault();
        this.zoom(e.deltaY > 0 ? 1.15 : 1 / 1.15, this.at(e));
      },
      { passive: false },
    );
    map.addEventListener("pointerdown", (e) => this.grip(e));
    map.addEventListener("keydown", (e) => this.key(e));
    this.$root.addEventListener("click", (e) => this.act(e));
    this.$root.addEventListener("submit", (e) => {
      if (e.target.dataset.add) {
        e.preventDefault();
        this.add(e.target);
      }
    });
    this.$root.addEventListener("change", (e) => {
      if (e.target.matches("[data-import]")) e.target.form.submit();
      if (e.target.name === "way") this.ways(e.target.form);
      if (e.target.matches("[data-tick], [data-note]")) this.tick(e.target.closest("[data-check]"));
    });
    new ResizeObserver(() => this.set(this.view)).observe(map);
    this.$root.dataset.done = "yes";
  },

  // A fresh view: the lists are in place, the map comes in a template beside them. What was
  // unfolded stays so.
  take(holder) {
    const svg = holder.querySelector("[data-map]").content.querySelector("svg");
    const box = this.$refs.map;
    const old = this.view;
    box.replaceChildren(svg);
    this.svg = svg;
    this.whole = svg.getAttribute("viewBox").split(" ").map(Number);
    this.set(old ?? (svg.dataset.home ? svg.dataset.home.split(" ").map(Number) : this.whole));
    for (const form of holder.querySelectorAll("[data-add=reading]")) this.ways(form);
    this.$root.querySelector("[data-undo]").textContent =
      holder.querySelector("[data-undo-words]").textContent;
    this.$root.querySelector("[data-redo]").textContent =
      holder.querySelector("[data-redo-words]").textContent;
    this.$root.querySelector("[data-act=undo]").disabled =
      !holder.querySelector("[data-undo-words]").textContent;
    this.$root.querySelector("[data-act=redo]").disabled =
      !holder.querySelector("[data-redo-words]").textContent;
  },

  async send(url, options) {
    const lists = this.$refs.lists;
    const chosen = this.chosen?.dataset;
    lists.setAttribute("aria-busy", "true");
    try {
      swap(lists, await ask(this.url + url, options), "details[data-fold]");
      this.take(lists);
      if (chosen?.shelter)
        this.choose(this.svg.querySelector(`[data-shelter="${chosen.shelter}"]`));
      return true;
    } catch (error) {
      toast(
        error.status === 409
          ? "Somebody else changed this meanwhile; the map now shows theirs."
          : error.message,
      );
      if (error.status === 409) this.send("/view");
      return false;
    } finally {
      lists.removeAttribute("aria-busy");
    }
  },

  ways(form) {
    const way = form.elements.way.value;
    for (const label of form.querySelectorAll("[data-for]")) {
      const wanted = label.dataset.for.split(" ").includes(way);
      label.hidden = !wanted;
      for (const input of label.querySelectorAll("input, select")) input.disabled = !wanted;
    }
  },

  metric() {
    return this.$root.dataset.units === "metric";
  },

  // Metres as one types them here: a bare number in the course's units.
  typed(metres) {
    return (this.metric() ? metres : metres / 0.3048).toFixed(2);
  },

  async add(form) {
    const values = Object.fromEntries([...new FormData(form)].filter(([, v]) => v !== ""));
    for (const input of form.elements) if (input.name) fault(input, "");
    if (typeof values.corners === "string")
      values.corners = values.corners.split(",").map((c) => c.trim().split(/\s+/));
    try {
      await ask(`${this.url}/items`, { method: "POST", json: { kind: form.dataset.add, values } });
    } catch (error) {
      const field = form.elements[error.problem?.field] ?? form.elements[0];
      fault(field, error.message);
      field.focus();
      return;
    }
    const kind = form.dataset.add;
    const keep =
      kind === "reading" ? { way: form.elements.way.value, start: form.elements.start.value } : {};
    await this.send("/view");
    const again = this.$refs.lists.querySelector(`[data-add="${kind}"]`);
    for (const [name, value] of Object.entries(keep)) again.elements[name].value = value;
    if (keep.way) this.ways(again);
    (again.elements.end ?? again.elements.name ?? again.elements[0]).focus();
  },

  tick(box) {
    const values = {
      key: box.dataset.check,
      done: box.querySelector("[data-tick]").checked,
      note: box.querySelector("[data-note]").value,
    };
    if (box.dataset.item)
      this.send(`/items/${box.dataset.item}`, {
        method: "PATCH",
        json: { values, version: Number(box.dataset.version) },
      });
    else this.send("/items", { method: "POST", json: { kind: "check", values } });
  },

  async act(event) {
    const button = event.target.closest("[data-act]");
    if (!button) return;
    const { act, shelter, item } = button.dataset;
    const middle = () => [this.view[0] + this.view[2] / 2, this.view[1] + this.view[3] / 2];
    if (act === "undo" || act === "redo")
      this.send(`/undo?redo=${act === "redo"}`, { method: "POST" });
    else if (act === "in" || act === "out") this.zoom(act === "in" ? 1 / 1.4 : 1.4, middle());
    else if (act === "whole") this.set(this.whole);
    else if (act === "remove") {
      if (await this.send(`/items/${item}`, { method: "DELETE" }))
        toast("Taken away.", () => this.send("/undo", { method: "POST" }));
    } else if (act === "off") this.send(`/shelters/${shelter}/spot`, { method: "DELETE" });
    else if (act === "put") {
      const [x, y] = middle();
      this.send(`/shelters/${shelter}/spot`, {
        method: "POST",
        json: { x: x / PX, y: -y / PX, front_deg: 0 },
      });
    } else if (act === "spots") this.spots(button, shelter);
    else if (act === "listen") this.listen(button);
    else if (act === "draw") this.draw(button.form);
    else if (act === "pick") {
      this.say("Click the place on the map.");
      this.$refs.map.addEventListener(
        "click",
        (e) => {
          const [x, y] = this.at(e);
          button.form.elements.x.value = this.typed(x / PX);
          button.form.elements.y.value = this.typed(-y / PX);
          this.say("");
          button.form.elements.name.focus();
        },
        { once: true },
      );
    } else if (act === "take") {
      const { x, y, front, anchor, trees } = button.dataset;
      this.send(`/shelters/${shelter}/spot`, {
        method: "POST",
        json: {
          x: Number(x),
          y: Number(y),
          front_deg: Number(front),
          anchor: anchor.split(",").map(Number),
          trees: trees ? trees.split("|") : [],
        },
      });
    }
  },

  async spots(button, shelter) {
    const words = button.textContent;
    button.textContent = "Looking…";
    button.setAttribute("aria-busy", "true");
    try {
      this.$refs.lists.querySelector(`[data-spots="${shelter}"]`).innerHTML = await ask(
        `${this.url}/shelters/${shelter}/spots`,
      );
    } catch (error) {
      toast(error.message);
    }
    button.textContent = words;
    button.removeAttribute("aria-busy");
  },

  // The range finder's shots come in live; the last one stands in the fields until it is written
  // down.
  listen(button) {
    if (this.finder) {
      this.finder.close();
      return;
    }
    const form = () => this.$refs.lists.querySelector("[data-add=reading]");
    this.finder = new WebSocket(`${location.origin.replace(/^http/, "ws")}${this.url}/finder`);
    button.textContent = "Stop listening";
    this.finder.addEventListener("message", (e) => {
      const { shot, range_m, bearing_deg } = JSON.parse(e.data);
      const at = form();
      if (!at || at.elements.way.value !== "finder") return;
      at.elements.length_m.value = this.typed(range_m);
      at.elements.bearing_deg.value = bearing_deg;
      at.querySelector("[data-shot]").textContent =
        `shot ${shot}: ${this.typed(range_m)} ${this.metric() ? "m" : "ft"}, ${bearing_deg}°`;
    });
    this.finder.addEventListener("close", (e) => {
      this.finder = null;
      const again = this.$refs.lists.querySelector("[data-act=listen]");
      if (again) again.textContent = "Listen to the finder";
      if (e.code === 1011 || e.code === 1008)
        toast("The range finder does not answer; type what it shows.");
    });
  },

  // Corners by clicking; Enter or a double click ends it.
  draw(form) {
    const corners = [];
    const map = this.$refs.map;
    this.say("Click the corners on the map; press Enter when done, Escape to stop.");
    map.focus();
    const put = (e) => {
      const [x, y] = this.at(e);
      corners.push(`${this.typed(x / PX)} ${this.typed(-y / PX)}`);
      form.elements.corners.value = corners.join(", ");
      this.say(`${corners.length} corners`);
    };
    const end = (e) => {
      if (!["Enter", "Escape"].includes(e.key)) return;
      e.preventDefault();
      map.removeEventListener("click", put);
      map.removeEventListener("keydown", end);
      if (e.key === "Enter" && form.elements.name.value) form.requestSubmit();
      else {
        this.say("");
        form.elements.name.focus();
      }
    };
    map.addEventListener("click", put);
    map.addEventListener("keydown", end);
  },

  say(words) {
    this.$refs.told.textContent = words;
  },

  at(event) {
    const box = this.svg.getBoundingClientRect();
    const share = Math.min(box.width / this.view[2], box.height / this.view[3]);
    const left = box.left + (box.width - this.view[2] * share) / 2;
    const top = box.top + (box.height - this.view[3] * share) / 2;
    return [
      this.view[0] + (event.clientX - left) / share,
      this.view[1] + (event.clientY - top) / share,
    ];
  },

  // Names keep their size on the screen; heights are shown once there is room for them.
  set(view) {
    this.view = [...view];
    this.svg.setAttribute("viewBox", this.view.join(" "));
    const box = this.svg.getBoundingClientRect();
    const share = Math.min(box.width / view[2], box.height / view[3]) || 0.1;
    this.svg.style.setProperty("--label", `${Math.min(12 / share, 160)}px`);
    this.svg.style.setProperty("--thin", `${Math.min(2.5 / share, 30)}px`);
    this.svg.classList.toggle("near", share * PX > 32);
    this.svg.classList.toggle("far", share * PX < 11);
    // North, wind and scale stay in the corners of what is seen.
    const wide = box.width / share,
      tall = box.height / share;
    const [left, top] = [view[0] + (view[2] - wide) / 2, view[1] + (view[3] - tall) / 2];
    this.svg
      .querySelector(".badge")
      ?.setAttribute("transform", `translate(${left} ${top}) scale(${0.32 / share})`);
    this.svg
      .querySelector(".scale-bar")
      ?.setAttribute("transform", `translate(${left} ${top + tall})`);
  },

  zoom(by, [x, y]) {
    const [a, b, w, h] = this.view;
    const wide = Math.min(Math.max(w * by, 300), this.whole[2] * 3);
    const share = wide / w;
    this.set([x - (x - a) * share, y - (y - b) * share, wide, h * share]);
  },

  choose(group) {
    this.svg.querySelector(".chosen")?.classList.remove("chosen");
    this.chosen = group;
    group?.classList.add("chosen");
  },

  // Dragging: the ground under the pointer, a point placed by hand, or a shelter, which is solved
  // anew as it moves.
  grip(event) {
    this.fingers ??= new Map();
    this.fingers.set(event.pointerId, event);
    const lift = (e) => {
      this.fingers.delete(e.pointerId);
    };
    window.addEventListener("pointerup", lift, { once: true });
    window.addEventListener("pointercancel", lift, { once: true });
    if (this.fingers.size === 2) {
      this.pinch();
      return;
    }
    const group = event.target.closest("[data-shelter], [data-place=free]");
    const start = this.at(event);
    const view = [...this.view];
    const id = event.pointerId;
    this.choose(event.target.closest(".item"));
    if (this.chosen) this.say(this.chosen.getAttribute("aria-label") ?? "");
    let moved = false;
    const shift = (e) => {
      if (this.fingers.size > 1) return;
      const now = this.at(e);
      const by = [now[0] - start[0], now[1] - start[1]];
      if (Math.hypot(...by) > this.view[2] / 200) moved = true;
      if (!moved) return;
      if (!group) {
        const box = this.svg.getBoundingClientRect();
        const k = view[2] / box.width;
        this.set([
          view[0] - (e.clientX - event.clientX) * k,
          view[1] - (e.clientY - event.clientY) * k,
          view[2],
          view[3],
        ]);
        return;
      }
      if (group.dataset.shelter) this.trying(group, by[0] / PX, -by[1] / PX, 0);
      else group.setAttribute("transform", `translate(${by[0]} ${by[1]})`);
    };
    const drop = async (e) => {
      window.removeEventListener("pointermove", shift);
      window.removeEventListener("pointerup", drop);
      if (!moved || !group || e.pointerId !== id) return;
      const now = this.at(e);
      const [dx, dy] = [(now[0] - start[0]) / PX, -(now[1] - start[1]) / PX];
      if (group.dataset.shelter) this.keep(group, dx, dy, 0, true);
      else this.shiftThing(group.dataset.item, dx, dy);
    };
    window.addEventListener("pointermove", shift);
    window.addEventListener("pointerup", drop);
  },

  // Two fingers zoom about their middle.
  pinch() {
    const apart = () => {
      const [a, b] = [...this.fingers.values()];
      return Math.hypot(a.clientX - b.clientX, a.clientY - b.clientY);
    };
    let last = apart();
    const move = (e) => {
      if (this.fingers.size < 2) {
        window.removeEventListener("pointermove", move);
        return;
      }
      if (!this.fingers.has(e.pointerId)) return;
      this.fingers.set(e.pointerId, e);
      const [a, b] = [...this.fingers.values()];
      const now = apart();
      this.zoom(
        last / Math.max(now, 1),
        this.at({ clientX: (a.clientX + b.clientX) / 2, clientY: (a.clientY + b.clientY) / 2 }),
      );
      last = now;
    };
    window.addEventListener("pointermove", move);
  },

  async shiftThing(item, dx, dy) {
    const row = this.$refs.lists.querySelector(`[data-thing="${item}"]`);
    const now = await ask(`${this.url}/items/${item}`).catch(() => null);
    if (!now) {
      toast("This point is no longer there.");
      return this.send("/view");
    }
    const values = {
      x: Math.round((now.values.x + dx) * 1000) / 1000,
      y: Math.round((now.values.y + dy) * 1000) / 1000,
    };
    this.send(`/items/${item}`, {
      method: "PATCH",
      json: { values, version: Number(row.dataset.version), was: now.values },
    });
  },

  // Dragged near trees it takes them; nudged by keys it goes where it is told.
  spotOf(group, dx, dy, turn, snap) {
    const d = group.dataset;
    const [x, y, front] = [
      Number(d.x) + dx,
      Number(d.y) + dy,
      (Number(d.front) + turn + 360) % 360,
    ];
    return {
      x,
      y,
      front_deg: front,
      anchor: d.anchor ? d.anchor.split(",").map(Number) : null,
      snap,
    };
  },

  // One question at a time; the newest place waits its turn.
  async trying(group, dx, dy, turn) {
    this.next = [group, dx, dy, turn];
    if (this.asking) return;
    this.asking = true;
    while (this.next) {
      const [g, x, y, t] = this.next;
      this.next = null;
      const svg = this.svg;
      const drag = this.drags ?? 0;
      try {
        const told = await ask(`${this.url}/shelters/${g.dataset.shelter}/try`, {
          method: "POST",
          json: this.spotOf(g, x, y, t, true),
        });
        if (drag !== (this.drags ?? 0) || svg !== this.svg) continue; // dropped meanwhile
        this.ghost?.remove();
        const made = document.createElementNS("http://www.w3.org/2000/svg", "g");
        made.innerHTML = told.drawing;
        made.classList.add("ghost");
        this.ghost = made;
        this.svg.append(made);
        const held = told.trees.length ? `On ${told.trees.join(" and ")}. ` : "";
        this.say(
          held +
            (told.findings
              .map((f) => `${["Note", "Caution", "Stop"][f.level]}: ${f.words}`)
              .join(". ") || "Stands well here."),
        );
      } catch (error) {
        this.say(error.message);
      }
    }
    this.asking = false;
  },

  keep(group, dx, dy, turn, snap = false) {
    this.next = null;
    this.drags = (this.drags ?? 0) + 1;
    this.choose(group);
    this.ghost?.remove();
    return this.send(`/shelters/${group.dataset.shelter}/spot`, {
      method: "POST",
      json: this.spotOf(group, dx, dy, turn, snap),
    });
  },

  key(event) {
    const step = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[
      event.key
    ];
    const focus = document.activeElement?.closest?.(".item");
    if (focus && this.svg.contains(focus)) this.choose(focus);
    const shelter = this.chosen?.dataset.shelter ? this.chosen : null;
    const size = event.shiftKey ? 10 * NUDGE : NUDGE;
    if (event.key === "+" || event.key === "=")
      this.zoom(1 / 1.3, [this.view[0] + this.view[2] / 2, this.view[1] + this.view[3] / 2]);
    else if (event.key === "-")
      this.zoom(1.3, [this.view[0] + this.view[2] / 2, this.view[1] + this.view[3] / 2]);
    else if (event.key === "0") this.set(this.whole);
    else if (event.key === "Escape") {
      this.choose(null);
      this.say("");
    } else if (shelter && step) this.keep(shelter, step[0] * size, step[1] * size, 0);
    else if (shelter && (event.key === "[" || event.key === "]"))
      this.keep(shelter, 0, 0, event.key === "]" ? 5 : -5);
    else if (step)
      this.set([
        this.view[0] + (step[0] * this.view[2]) / 12,
        this.view[1] - (step[1] * this.view[3]) / 12,
        this.view[2],
        this.view[3],
      ]);
    else return;
    event.preventDefault();
  },
});
