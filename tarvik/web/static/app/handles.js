// Points of the turning body that are taken hold of: a drag moves the setting that moves the point.

const REACH_PX = 22; // a handle is taken within so many pixels: half a fingertip
const LEAST_PX = 5; // a point that goes less for one unit is seen end on, and cannot be dragged

/** The handle under a finger at (x, y) on the drawing, with how it goes there; null if none. */
export const held = (handles, flat, [x, y]) => {
  let [best, nearest] = [null, REACH_PX];
  for (const handle of handles) {
    const [px, py] = flat(handle.at);
    const to = flat(handle.at.map((c, i) => c + handle.way[i]));
    const way = [to[0] - px, to[1] - py];
    const far = Math.hypot(px - x, py - y);
    if (far > nearest || Math.hypot(...way) < LEAST_PX) continue;
    [best, nearest] = [{ setting: handle.setting, way }, far];
  }
  return best;
};

/** By how much of its setting a handle is moved by a drag of (dx, dy) pixels along its way. */
export const movedBy = ({ way }, dx, dy) =>
  (dx * way[0] + dy * way[1]) / (way[0] * way[0] + way[1] * way[1]);
