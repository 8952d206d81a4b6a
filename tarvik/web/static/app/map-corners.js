// Places taken from the map by clicks and taps: one for a point, several for an area or a path.

/**
 * `bar`: the line over the map with its buttons. `start({most, took, done})` collects so many
 * places at most: `took(places)` hears of each, `done(places)` of the end.
 */
export const corners = (map, bar) => {
  const kept = { on: false, places: [] };
  const words = bar.querySelector("[data-words]");
  let asked = null;
  let mark = null;

  const draw = () => {
    mark?.remove();
    if (!kept.on) return;
    const SVG = "http://www.w3.org/2000/svg";
    mark = document.createElementNS(SVG, "g");
    mark.setAttribute("class", "collected");
    const line = document.createElementNS(SVG, "polyline");
    line.setAttribute("points", kept.places.map((p) => p.join(",")).join(" "));
    mark.append(line);
    for (const [x, y] of kept.places) {
      const dot = document.createElementNS(SVG, "circle");
      for (const [name, value] of Object.entries({ cx: x, cy: y, r: 12 }))
        dot.setAttribute(name, value);
      mark.append(dot);
    }
    map.svg.append(mark);
  };

  const tell = () => {
    const count = kept.places.length;
    words.textContent =
      asked.most === 1
        ? "Tap the place on the map."
        : count
          ? `${count} ${count === 1 ? "corner" : "corners"}. Tap the next, or press Done.`
          : "Tap the corners on the map, one after the other.";
    bar.querySelector("[data-corners=done]").hidden = asked.most === 1;
    bar.querySelector("[data-corners=back]").hidden = asked.most === 1;
    draw();
  };

  kept.start = (wanted) => {
    asked = wanted;
    Object.assign(kept, { on: true, places: [] });
    bar.hidden = false;
    tell();
    map.box.focus();
  };

  kept.stop = () => {
    Object.assign(kept, { on: false, places: [] });
    bar.hidden = true;
    draw();
  };

  kept.finish = () => {
    const { done } = asked;
    const places = kept.places;
    kept.stop();
    if (places.length) done(places);
  };

  kept.back = () => {
    kept.places.pop();
    asked.took?.(kept.places);
    tell();
  };

  // A second tap on the same place, as of a double click, ends a line.
  kept.tap = (at) => {
    const last = kept.places.at(-1);
    const near = map.view[2] / 150;
    if (last && Math.hypot(at[0] - last[0], at[1] - last[1]) < near) return kept.finish();
    kept.places.push(at.map(Math.round));
    asked.took?.(kept.places);
    if (kept.places.length === asked.most) return kept.finish();
    return tell();
  };

  /** Keys while places are taken; whether it was one of them. */
  kept.key = (key) => {
    if (!kept.on) return false;
    if (key === "Enter") kept.finish();
    else if (key === "Escape") kept.stop();
    else if (key === "Backspace") kept.back();
    else return false;
    return true;
  };

  bar.addEventListener("click", (event) => {
    const what = event.target.closest("[data-corners]")?.dataset.corners;
    if (what === "done") kept.finish();
    else if (what === "back") kept.back();
    else if (what === "stop") kept.stop();
  });
  return kept;
};
