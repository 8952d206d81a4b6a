// Where the names on a map go so that none covers another. Everything here is in pixels of the
// screen.

/** How wide letters are, as a share of their height: wide enough for the map's font. */
const LETTER = 0.55;
const LINE = 1.15;
const GAP = 3;
const FARTHER = 0.6; // of a line's height

const overlap = (a, b) =>
  Math.max(0, Math.min(a.right, b.right) - Math.max(a.left, b.left)) *
  Math.max(0, Math.min(a.bottom, b.bottom) - Math.max(a.top, b.top));

// Right of its point, left, below, above, its corners, then the same farther off; about the middle
// for a name of an area.
const places = ({ x, y, reach, words, size, middle }) => {
  const wide = words.length * size * LETTER;
  const tall = size * LINE;
  const box = (left, top) => ({ left, top, right: left + wide, bottom: top + tall });
  if (middle)
    return [0, -1, 1, -2, 2].map((step) => box(x - wide / 2, y - tall / 2 + step * tall * 0.6));
  return [0, FARTHER * tall].flatMap((farther) => {
    const far = reach + GAP + farther;
    const corner = far * 0.7;
    return [
      box(x + far, y - tall / 2),
      box(x - far - wide, y - tall / 2),
      box(x - wide / 2, y + far),
      box(x - wide / 2, y - far - tall),
      box(x + corner, y + corner),
      box(x + corner, y - corner - tall),
      box(x - corner - wide, y + corner),
      box(x - corner - wide, y - corner - tall),
    ];
  });
};

/**
 * The box of each label, in their order, the first ones placed first; null where a name finds no
 * room. `labels`: {x, y, reach, words, size, middle, above}; `covered`: boxes that lie over
 * all names but those `above`.
 */
export const placed = (labels, covered = []) => {
  const taken = [];
  const dots = labels
    .filter((label) => !label.middle)
    .map(({ x, y, reach }) => ({
      left: x - reach,
      right: x + reach,
      top: y - reach,
      bottom: y + reach,
    }));
  return labels.map((label) => {
    const free = places(label).filter((box) => taken.every((other) => !overlap(box, other)));
    if (!free.length) return null;
    // Of the places that cover no name the one that covers the least of any point.
    const over = (box, others) => others.reduce((sum, other) => sum + overlap(box, other), 0);
    const cost = (box) => over(box, dots) + (label.above ? 0 : over(box, covered));
    const best = free.reduce((least, box) => (cost(box) < cost(least) - 0.5 ? box : least));
    taken.push(best);
    return best;
  });
};
