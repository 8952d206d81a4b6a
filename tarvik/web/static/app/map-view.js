// A map on the screen: what part of it is seen, closer and farther, names that cover none other.
import { placed } from "./labels.js";

/** Pixels of the drawing to a metre. */
export const PX = 100;

const LETTERS_PX = 12; // on the screen
const MOST_LABEL = 160; // of the drawing
const CLOSEST = 300;
const NEAR_PX_M = 32; // pixels a metre from which heights and pairs of trees are shown
const HOME_KEYS = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] };

/** `box`: the element that holds the drawing; `told`: the line under it. */
export const mapView = (box, told) => {
  const map = { box, svg: null, whole: null, view: null, chosen: null };

  const scale = () => {
    const { width, height } = box.getBoundingClientRect();
    return Math.min(width / map.view[2], height / map.view[3]) || 0.1;
  };

  // The corner of what is seen, and its size, in pixels of the drawing.
  const seen = () => {
    const share = scale();
    const [wide, tall] = [box.clientWidth / share, box.clientHeight / share];
    const [x, y, w, h] = map.view;
    return { share, wide, tall, left: x + (w - wide) / 2, top: y + (h - tall) / 2 };
  };

  const letter = ({ share, left, top }) => {
    const size = Math.min(LETTERS_PX, MOST_LABEL * share);
    const texts = [...map.svg.querySelectorAll("[data-label]")].sort(
      (a, b) => Number(a.dataset.rank) - Number(b.dataset.rank),
    );
    const labels = texts.map((text) => {
      const [x, y, reach] = text.dataset.label.split(" ").map(Number);
      return {
        x: (x - left) * share,
        y: (y - top) * share,
        reach: reach * share,
        words: text.textContent,
        size,
        middle: text.dataset.middle !== undefined,
        above: text.classList.contains("shelter-t"),
      };
    });
    const frame = box.getBoundingClientRect();
    const cloths = [...map.svg.querySelectorAll(".shelter .g-cloth")].map((cloth) => {
      const at = cloth.getBoundingClientRect();
      return {
        left: at.left - frame.left,
        right: at.right - frame.left,
        top: at.top - frame.top,
        bottom: at.bottom - frame.top,
      };
    });
    placed(labels, cloths).forEach((at, n) => {
      const text = texts[n];
      text.classList.toggle("crowded", !at);
      if (!at) return;
      text.setAttribute("text-anchor", "start");
      text.setAttribute("x", at.left / share + left);
      text.setAttribute("y", (at.top + size * 0.9) / share + top);
    });
  };

  // Names keep their size on the screen; north, wind and scale stay in the corners.
  map.set = (view) => {
    map.view = [...view];
    map.svg.setAttribute("viewBox", map.view.join(" "));
    const now = seen();
    const { share, tall, left, top } = now;
    map.svg.style.setProperty("--label", `${Math.min(LETTERS_PX / share, MOST_LABEL)}px`);
    map.svg.style.setProperty("--thin", `${Math.min(2.5 / share, 30)}px`);
    map.svg.classList.toggle("near", share * PX > NEAR_PX_M);
    map.svg
      .querySelector(".badge")
      ?.setAttribute("transform", `translate(${left} ${top}) scale(${0.32 / share})`);
    map.svg
      .querySelector(".scale-bar")
      ?.setAttribute("transform", `translate(${left} ${top + tall})`);
    letter(now);
  };

  /** Show a drawing where the last one was looked at, or about its points. */
  map.show = (svg) => {
    const old = map.view;
    box.replaceChildren(svg);
    map.svg = svg;
    map.whole = svg.getAttribute("viewBox").split(" ").map(Number);
    map.set(old ?? (svg.dataset.home ? svg.dataset.home.split(" ").map(Number) : map.whole));
  };

  map.middle = () => [map.view[0] + map.view[2] / 2, map.view[1] + map.view[3] / 2];

  map.zoom = (by, [x, y]) => {
    const [a, b, w, h] = map.view;
    const wide = Math.min(Math.max(w * by, CLOSEST), map.whole[2] * 3);
    const share = wide / w;
    map.set([x - (x - a) * share, y - (y - b) * share, wide, h * share]);
  };

  /** Where a pointer is on the drawing. */
  map.at = (event) => {
    const { share, left, top } = seen();
    const frame = box.getBoundingClientRect();
    return [
      left + (event.clientX - frame.left - box.clientLeft) / share,
      top + (event.clientY - frame.top - box.clientTop) / share,
    ];
  };

  /** Move what is seen by so many pixels of the screen from where it was. */
  map.pan = (from, dx, dy) => {
    const { share } = seen();
    map.set([from[0] - dx / share, from[1] - dy / share, from[2], from[3]]);
  };

  map.choose = (group) => {
    map.svg?.querySelector(".chosen")?.classList.remove("chosen");
    map.chosen = group;
    group?.classList.add("chosen");
  };

  map.say = (words) => {
    told.textContent = words;
  };

  /** Keys that move the map itself; whether it was one. */
  map.key = (key) => {
    const step = HOME_KEYS[key];
    if (key === "+" || key === "=") map.zoom(1 / 1.3, map.middle());
    else if (key === "-") map.zoom(1.3, map.middle());
    else if (key === "0") map.set(map.whole);
    else if (key === "Escape") {
      map.choose(null);
      map.say("");
    } else if (step)
      map.set([
        map.view[0] + (step[0] * map.view[2]) / 12,
        map.view[1] - (step[1] * map.view[3]) / 12,
        map.view[2],
        map.view[3],
      ]);
    else return false;
    return true;
  };

  /** What the buttons on the map do. */
  map.button = (act) => {
    if (act === "in" || act === "out") map.zoom(act === "in" ? 1 / 1.4 : 1.4, map.middle());
    else if (act === "whole") map.set(map.whole);
  };

  box.addEventListener(
    "wheel",
    (event) => {
      if (!map.svg) return;
      event.preventDefault();
      map.zoom(event.deltaY > 0 ? 1.15 : 1 / 1.15, map.at(event));
    },
    { passive: false },
  );
  new ResizeObserver(() => map.svg && map.set(map.view)).observe(box);
  return map;
};

/** Steps of the arrow keys: east and north. */
export const stepOf = (key) => HOME_KEYS[key];
