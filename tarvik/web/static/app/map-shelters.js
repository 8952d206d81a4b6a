// Shelters on a map: solved anew while they move, kept where they are put down.
import { PX, stepOf } from "./map-view.js";
import { ask, toast } from "./talk.js";

const NUDGE_M = 0.1;
const TURN_DEG = 5;
const LEVELS = ["Note", "Caution", "Stop"];
const SVG = "http://www.w3.org/2000/svg";

/** `send(path, options)`: change the ground and show what came of it; `url`: of the ground. */
export const shelters = (map, url, send) => {
  let next = null;
  let asking = false;
  let drags = 0;
  let ghost = null;

  // Dragged near trees it takes them; nudged by keys it goes where it is told.
  const spotOf = ({ dataset: d }, dx, dy, turn, snap) => ({
    x: Number(d.x) + dx / PX,
    y: Number(d.y) - dy / PX,
    front_deg: (Number(d.front) + turn + 360) % 360,
    anchor: d.anchor ? d.anchor.split(",").map(Number) : null,
    snap,
  });

  const tryOnce = async (group, dx, dy) => {
    const [drawn, drag] = [map.svg, drags];
    const told = await ask(`${url}/shelters/${group.dataset.shelter}/try`, {
      method: "POST",
      json: spotOf(group, dx, dy, 0, true),
    });
    if (drag !== drags || drawn !== map.svg) return; // put down meanwhile
    ghost?.remove();
    ghost = document.createElementNS(SVG, "g");
    ghost.innerHTML = told.drawing;
    ghost.classList.add("ghost");
    map.svg.append(ghost);
    const held = told.trees.length ? `On ${told.trees.join(" and ")}. ` : "";
    const found = told.findings.map((f) => `${LEVELS[f.level]}: ${f.words}`).join(". ");
    map.say(held + (found || "Stands well here."));
  };

  const out = {
    /** How it would stand there, one question at a time; the newest place waits its turn. */
    async moves(group, dx, dy) {
      next = [group, dx, dy];
      if (asking) return;
      asking = true;
      while (next) {
        const now = next;
        next = null;
        await tryOnce(...now).catch((error) => map.say(error.message));
      }
      asking = false;
    },

    keep(group, dx, dy, turn = 0, snap = false) {
      next = null;
      drags += 1;
      map.choose(group);
      ghost?.remove();
      return send(`/shelters/${group.dataset.shelter}/spot`, {
        method: "POST",
        json: spotOf(group, dx, dy, turn, snap),
      });
    },

    put(shelter) {
      const [x, y] = map.middle();
      return send(`/shelters/${shelter}/spot`, {
        method: "POST",
        json: { x: x / PX, y: -y / PX, front_deg: 0 },
      });
    },

    off: (shelter) => send(`/shelters/${shelter}/spot`, { method: "DELETE" }),

    take(shelter, { x, y, front, anchor, trees }) {
      return send(`/shelters/${shelter}/spot`, {
        method: "POST",
        json: {
          x: Number(x),
          y: Number(y),
          front_deg: Number(front),
          anchor: anchor.split(",").map(Number),
          trees: trees ? trees.split("|") : [],
        },
      });
    },

    /** Keys that move or turn a chosen shelter; whether it was one. */
    key(event, keep = out.keep) {
      const group = map.chosen?.dataset.shelter ? map.chosen : null;
      const step = stepOf(event.key);
      if (!group) return false;
      const size = (event.shiftKey ? 10 : 1) * NUDGE_M * PX;
      if (step) keep(group, step[0] * size, -step[1] * size);
      else if (event.key === "[" || event.key === "]")
        keep(group, 0, 0, event.key === "]" ? TURN_DEG : -TURN_DEG);
      else return false;
      return true;
    },

    /** The best places for a shelter, into the box under its row. */
    async spots(button, shelter, box) {
      const words = button.textContent;
      button.textContent = "Looking…";
      button.setAttribute("aria-busy", "true");
      try {
        box.innerHTML = await ask(`${url}/shelters/${shelter}/spots`);
      } catch (error) {
        toast(error.message);
      }
      button.textContent = words;
      button.removeAttribute("aria-busy");
    },
  };
  return out;
};
