// The shelter as a body that turns: the server's mesh, projected here and painted far to near. No numbers are worked out
// but the projection; without a script the server's own oblique drawing stands in its place.
const COLOURS = { roof: "#7f9f8b", wall: "#648872", door: "#a0b9a6", awning: "#c1d2c2", floor: "#d9c9a0", taut: "#7f9f8b", wrinkled: "#c9b06a", slack: "#d9a08a" };
const still = matchMedia("(prefers-reduced-motion: reduce)");

export function orbit(box) {
  const mesh = JSON.parse(box.dataset.mesh);
  const drawn = box.querySelector("svg");
  const canvas = document.createElement("canvas");
  canvas.setAttribute("aria-hidden", "true");
  drawn.replaceWith(canvas);
  let azimuth = mesh.azimuth_deg, elevation = mesh.elevation_deg, at = null;
  const thin = mesh.faces.length > 60;
  const points = [...mesh.faces.flatMap((f) => f.at), ...mesh.lines.flat(), ...mesh.mats.flat().map((p) => [...p, 0])];
  const middle = [0, 1, 2].map((i) => (Math.min(...points.map((p) => p[i])) + Math.max(...points.map((p) => p[i]))) / 2);
  const size = Math.max(...points.map((p) => Math.hypot(...p.map((c, i) => c - middle[i])))) || 1;

  function paint() {
    const [width, height] = [box.clientWidth || 360, 280];
    const dense = devicePixelRatio || 1;
    canvas.width = width * dense; canvas.height = height * dense;
    canvas.style.width = "100%"; canvas.style.height = `${height}px`;
    const pen = canvas.getContext("2d");
    pen.scale(dense, dense);
    const [a, e] = [azimuth * Math.PI / 180, elevation * Math.PI / 180];
    const eye = [Math.cos(a) * Math.cos(e), Math.sin(a) * Math.cos(e), Math.sin(e)];
    const right = [-Math.sin(a), Math.cos(a), 0];
    const up = [-Math.cos(a) * Math.sin(e), -Math.sin(a) * Math.sin(e), Math.cos(e)];
    const dot = (p, q) => p.reduce((sum, c, i) => sum + c * q[i], 0);
    const scale = Math.min(width, height * 1.5) / 2.1 / size;
    const flat = (p) => {
      const off = [p[0] - middle[0], p[1] - middle[1], (p[2] ?? 0) - middle[2]];
      return [width / 2 + dot(off, right) * scale, height / 2 - dot(off, up) * scale];
    };
    const shape = (list, fill, stroke, alpha = 1) => {
      pen.beginPath();
      list.forEach((p, i) => (i ? pen.lineTo(...flat(p)) : pen.moveTo(...flat(p))));
      pen.closePath();
      pen.globalAlpha = alpha; pen.fillStyle = fill; pen.fill();
      pen.globalAlpha = 1; pen.strokeStyle = stroke; pen.lineWidth = thin ? 0.5 : 1.4; pen.stroke();
    };
    const stroke = (p, q, colour, thick, dash = []) => {
      pen.setLineDash(dash); pen.beginPath(); pen.moveTo(...flat(p)); pen.lineTo(...flat(q));
      pen.strokeStyle = colour; pen.lineWidth = thick; pen.stroke(); pen.setLineDash([]);
    };
    for (const face of mesh.faces) if (face.role === "floor") shape(face.at, COLOURS.floor, "#6b5a2a", 0.8);
    for (const mat of mesh.mats) shape(mat, "#fffdf7", "#3a2c20", 0.9);
    const depth = (f) => f.at.reduce((sum, p) => sum + dot(p, eye), 0) / f.at.length;
    const far = mesh.faces.filter((f) => f.role !== "floor").sort((f, g) => depth(f) - depth(g));
    for (const face of far) shape(face.at, COLOURS[face.role], "#1d2420", 0.72);
    for (const [p, q] of mesh.ghosts ?? []) stroke(p, q, "#21506b", 1, [4, 4]);
    for (const p of mesh.pools ?? []) { const [x, y] = flat(p); pen.beginPath(); pen.arc(x, y, 9, 0, 7); pen.strokeStyle = "#21506b"; pen.lineWidth = 3; pen.stroke(); }
    for (const s of mesh.supports) stroke([s[0], s[1], 0], s, "#7a4a20", 4);
    for (const [p, q] of mesh.lines) stroke(p, q, "#9a3a1c", 1.8, [6, 3]);
    for (const s of mesh.stakes) { pen.fillStyle = "#1d2420"; const [x, y] = flat([...s, 0]); pen.fillRect(x - 2.5, y - 2.5, 5, 5); }
    if (mesh.rain.on) rain(stroke);
  }

  function rain(stroke) {
    const [fx, fy] = mesh.rain.fall;
    const top = middle[2] + size * 0.9;
    for (let i = 0; i < 26; i += 1) {
      const [u, v, w] = [(i * 0.618) % 1, (i * 0.377) % 1, (i * 0.791) % 1];
      const p = [middle[0] + (u - 0.5) * 2 * size, middle[1] + (v - 0.5) * 2 * size, top * (0.35 + 0.65 * w)];
      stroke(p, [p[0] + fx * 0.22, p[1] + fy * 0.22, p[2] - 0.22], "#21506b", 1.2);
    }
  }

  const turn = (da, de) => { azimuth += da; elevation = Math.min(88, Math.max(3, elevation + de)); paint(); };
  canvas.addEventListener("pointerdown", (event) => { at = [event.clientX, event.clientY]; canvas.setPointerCapture(event.pointerId); });
  canvas.addEventListener("pointermove", (event) => {
    if (!at) return;
    turn((at[0] - event.clientX) * 0.6, (event.clientY - at[1]) * 0.4);
    at = [event.clientX, event.clientY];
  });
  for (const end of ["pointerup", "pointercancel"]) canvas.addEventListener(end, () => { at = null; });
  box.addEventListener("keydown", (event) => {
    const way = { ArrowLeft: [12, 0], ArrowRight: [-12, 0], ArrowUp: [0, 8], ArrowDown: [0, -8] }[event.key];
    if (!way) return;
    event.preventDefault();
    turn(...way);
  });
  box.dataset.turning = still.matches ? "by hand" : "yes";
  paint();
  return () => [azimuth, elevation];
}
