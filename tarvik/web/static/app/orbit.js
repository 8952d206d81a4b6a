// The shelter as a body that turns: the server's mesh, projected here and painted far to near.
// No numbers are worked out but the projection; without a script the server's own oblique drawing
// stands in its place.
import { held, movedBy } from "./handles.js";

const COLOURS = {
  roof: "#7f9f8b",
  wall: "#648872",
  door: "#a0b9a6",
  awning: "#c1d2c2",
  floor: "#d9c9a0",
  taut: "#7f9f8b",
  wrinkled: "#c9b06a",
  slack: "#d9a08a",
  ground: "#efe9da",
  grid: "#d8cfba",
  ink: "#1d2420",
  rain: "#21506b",
  pole: "#7a4a20",
  cord: "#9a3a1c",
  person: "#3a2c20",
  sitting: "#8a6a4a",
};
const THIN_FROM = 60; // faces: a hung sheet has hundreds, whose edges would hide it
const MOST_TILT_DEG = 88;
const LEAST_TILT_DEG = 3;
const still = matchMedia("(prefers-reduced-motion: reduce)");
const radians = (degrees) => (degrees * Math.PI) / 180;
const dot = (p, q) => p.reduce((sum, c, i) => sum + c * q[i], 0);

/** How places in metres come onto the paper, seen from an azimuth and a height, in degrees. */
const projection = (mesh, width, height, azimuth, elevation) => {
  const points = [
    ...mesh.faces.flatMap((face) => face.at),
    ...mesh.lines.flat(),
    ...mesh.mats.flat().map((p) => [...p, 0]),
  ];
  const span = (i) => [Math.min(...points.map((p) => p[i])), Math.max(...points.map((p) => p[i]))];
  const middle = [0, 1, 2].map((i) => (span(i)[0] + span(i)[1]) / 2);
  const off = (p) => [p[0] - middle[0], p[1] - middle[1], (p[2] ?? 0) - middle[2]];
  const radius = Math.max(...points.map((p) => Math.hypot(off(p)[0], off(p)[1]))) || 1;
  const [a, e] = [radians(azimuth), radians(elevation)];
  const eye = [Math.cos(a) * Math.cos(e), Math.sin(a) * Math.cos(e), Math.sin(e)];
  const right = [-Math.sin(a), Math.cos(a), 0];
  const up = [-Math.cos(a) * Math.sin(e), -Math.sin(a) * Math.sin(e), Math.cos(e)];
  const tall = radius * Math.sin(e) + (span(2)[1] / 2) * Math.cos(e);
  const scale = Math.min(width / (2.3 * radius), height / (2.5 * tall));
  return {
    eye,
    middle,
    radius,
    scale,
    flat: (p) => [width / 2 + dot(off(p), right) * scale, height / 2 - dot(off(p), up) * scale],
  };
};

/** A pen on the canvas that draws in metres. */
const penOf = (pen, seen, thin) => ({
  shape(list, fill, stroke, alpha = 1) {
    pen.beginPath();
    list.forEach((p, i) => (i ? pen.lineTo(...seen.flat(p)) : pen.moveTo(...seen.flat(p))));
    pen.closePath();
    pen.globalAlpha = alpha;
    pen.fillStyle = fill;
    pen.fill();
    pen.globalAlpha = 1;
    if (!stroke) return;
    pen.strokeStyle = stroke;
    pen.lineWidth = thin ? 0.5 : 1.4;
    pen.stroke();
  },
  line(p, q, colour, thick, dash = []) {
    pen.setLineDash(dash);
    pen.beginPath();
    pen.moveTo(...seen.flat(p));
    pen.lineTo(...seen.flat(q));
    pen.strokeStyle = colour;
    pen.lineWidth = thick;
    pen.lineCap = "round";
    pen.stroke();
    pen.setLineDash([]);
  },
  disc(p, pixels, colour, ring = false) {
    const [x, y] = seen.flat(p);
    pen.beginPath();
    pen.arc(x, y, pixels, 0, 7);
    pen[ring ? "strokeStyle" : "fillStyle"] = colour;
    pen.lineWidth = 3;
    pen[ring ? "stroke" : "fill"]();
  },
  words(text, p, dx = 8, dy = 4) {
    const [x, y] = seen.flat(p);
    pen.font = '600 16px "Atkinson Hyperlegible Next", sans-serif';
    pen.lineWidth = 4;
    pen.strokeStyle = "#fffdf7";
    pen.strokeText(text, x + dx, y + dy);
    pen.fillStyle = COLOURS.ink;
    pen.fillText(text, x + dx, y + dy);
  },
});

/** The ground with a line a metre each way. */
const ground = (draw, { middle, radius }) => {
  const reach = radius * 1.1;
  const rim = Array.from({ length: 48 }, (_, i) => radians(i * 7.5));
  const at = (angle) => [
    middle[0] + reach * Math.cos(angle),
    middle[1] + reach * Math.sin(angle),
    0,
  ];
  draw.shape(rim.map(at), COLOURS.ground, "");
  for (let n = Math.ceil(-reach); n <= reach; n += 1) {
    const half = Math.sqrt(Math.max(reach * reach - n * n, 0));
    const [x, y] = middle;
    draw.line([x + n, y - half, 0], [x + n, y + half, 0], COLOURS.grid, 1);
    draw.line([x - half, y + n, 0], [x + half, y + n, 0], COLOURS.grid, 1);
  }
};

/** Where the wind comes from, as an arrow on the ground; the front of a pitch looks to -x. */
const wind = (draw, mesh, { middle, radius }) => {
  if (mesh.wind_from_deg === null || mesh.wind_from_deg === undefined) return;
  const from = radians(90 - mesh.wind_from_deg);
  const at = (far, turned = 0) => [
    middle[0] + radius * far * Math.cos(from + turned),
    middle[1] + radius * far * Math.sin(from + turned),
    0,
  ];
  draw.line(at(1.08), at(0.72), COLOURS.rain, 3);
  for (const side of [-0.09, 0.09]) draw.line(at(0.72), at(0.84, side), COLOURS.rain, 3);
  draw.words("wind", at(1.08));
};

const rain = (draw, mesh, { middle, radius }) => {
  const [fx, fy] = mesh.rain.fall;
  const top = middle[2] + radius * 0.9;
  for (let i = 0; i < 26; i += 1) {
    const [u, v, w] = [(i * 0.618) % 1, (i * 0.377) % 1, (i * 0.791) % 1];
    const p = [
      middle[0] + (u - 0.5) * 2 * radius,
      middle[1] + (v - 0.5) * 2 * radius,
      top * (0.35 + 0.65 * w),
    ];
    draw.line(p, [p[0] + fx * 0.22, p[1] + fy * 0.22, p[2] - 0.22], COLOURS.rain, 1.2);
  }
};

const people = (draw, mesh, { scale }) => {
  const thick = Math.max(0.16 * scale, 3);
  const shown = (one, colour) => {
    if (one.legs) draw.line(...one.legs, colour, thick * 0.8);
    draw.line(...one.body, colour, thick);
    draw.disc(one.head, one.radius * scale, colour);
  };
  for (const one of mesh.people ?? []) shown(one, COLOURS.person);
  if (mesh.sitting) shown(mesh.sitting, COLOURS.sitting);
};

const peak = (draw, mesh) => {
  if (!mesh.peak) return;
  const [x, y] = mesh.peak.at;
  draw.line([x, y, 0], mesh.peak.at, COLOURS.ink, 1.2, [2, 4]);
  draw.words(mesh.peak.words, [x, y, mesh.peak.at[2] / 2]);
};

const body = (draw, mesh, seen) => {
  const floors = mesh.faces.filter((face) => face.role === "floor");
  for (const face of floors) draw.shape(face.at, COLOURS.floor, "#6b5a2a", 0.8);
  for (const mat of mesh.mats) draw.shape(mat, "#fffdf7", COLOURS.person, 0.9);
  people(draw, mesh, seen);
  for (const s of mesh.supports) draw.line([s[0], s[1], 0], s, COLOURS.pole, 4);
  const depth = (face) => face.at.reduce((sum, p) => sum + dot(p, seen.eye), 0) / face.at.length;
  const cloth = mesh.faces.filter((face) => face.role !== "floor");
  for (const face of cloth.sort((f, g) => depth(f) - depth(g))) {
    draw.shape(face.at, COLOURS[face.role], COLOURS.ink, 0.72);
  }
  for (const [p, q] of mesh.ghosts ?? []) draw.line(p, q, COLOURS.rain, 1, [4, 4]);
  for (const p of mesh.pools ?? []) draw.disc(p, 9, COLOURS.rain, true);
  for (const [p, q] of mesh.lines) draw.line(p, q, COLOURS.cord, 1.8, [6, 3]);
  for (const s of mesh.stakes) draw.disc([...s, 0], 3, COLOURS.ink);
};

const rings = (draw, mesh) => {
  for (const { at } of mesh.handles ?? []) draw.disc(at, 7, COLOURS.cord, true);
};

// The turning body of each box: a fresh answer is painted as it was last turned.
const bodies = new WeakMap();

/**
 * Make a box's drawing turn. `take(setting)`: a point that this setting moves is taken hold of;
 * gives back what to do with each `by` that the drag comes to.
 */
export function orbit(box, take = null) {
  if (bodies.has(box)) {
    bodies.get(box)();
    return;
  }
  let mesh = JSON.parse(box.dataset.mesh);
  const canvas = document.createElement("canvas");
  canvas.setAttribute("aria-hidden", "true");
  box.querySelector("svg").replaceWith(canvas);
  let [azimuth, elevation, at] = [mesh.azimuth_deg, mesh.elevation_deg, null];
  let seen = null;

  function paint() {
    const width = box.clientWidth || 360;
    const height = Number(box.dataset.height) || 280;
    const dense = devicePixelRatio || 1;
    canvas.width = width * dense;
    canvas.height = height * dense;
    canvas.style.width = "100%";
    canvas.style.height = `${height}px`;
    const pen = canvas.getContext("2d");
    pen.scale(dense, dense);
    seen = projection(mesh, width, height, azimuth, elevation);
    const draw = penOf(pen, seen, mesh.faces.length > THIN_FROM);
    ground(draw, seen);
    wind(draw, mesh, seen);
    body(draw, mesh, seen);
    if (mesh.rain.on) rain(draw, mesh, seen);
    peak(draw, mesh);
    if (take) rings(draw, mesh);
  }

  const turn = (da, de) => {
    azimuth += da;
    elevation = Math.min(MOST_TILT_DEG, Math.max(LEAST_TILT_DEG, elevation + de));
    paint();
  };
  const under = ({ clientX, clientY }) => {
    const { left, top } = canvas.getBoundingClientRect();
    return take ? held(mesh.handles ?? [], seen.flat, [clientX - left, clientY - top]) : null;
  };
  let drag = null;
  canvas.addEventListener("pointerdown", (event) => {
    at = [event.clientX, event.clientY];
    const handle = under(event);
    drag = handle && { handle, from: at, go: take(handle.setting) };
    canvas.setPointerCapture(event.pointerId);
  });
  canvas.addEventListener("pointermove", (event) => {
    if (drag) {
      const [x, y] = drag.from;
      drag.go(movedBy(drag.handle, event.clientX - x, event.clientY - y));
    } else if (at) {
      turn((at[0] - event.clientX) * 0.6, (event.clientY - at[1]) * 0.4);
      at = [event.clientX, event.clientY];
    } else canvas.style.cursor = under(event) ? "move" : "";
  });
  for (const end of ["pointerup", "pointercancel"]) {
    canvas.addEventListener(end, () => {
      at = drag = null;
    });
  }
  box.addEventListener("keydown", (event) => {
    const ways = { ArrowLeft: [12, 0], ArrowRight: [-12, 0], ArrowUp: [0, 8], ArrowDown: [0, -8] };
    const way = ways[event.key];
    if (!way) return;
    event.preventDefault();
    turn(...way);
  });
  box.dataset.turning = still.matches ? "by hand" : "yes";
  box.dataset.live = "yes"; // swap() leaves the canvas in place, and brings the fresh mesh
  new ResizeObserver(paint).observe(box);
  paint();
  bodies.set(box, () => {
    mesh = JSON.parse(box.dataset.mesh);
    paint();
  });
}
