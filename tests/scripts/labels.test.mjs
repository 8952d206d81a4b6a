// Names on a map: none covers another, each stands beside its own point.
import assert from "node:assert/strict";
import { test } from "node:test";
import { placed } from "../../tarvik/web/static/app/labels.js";

const point = (x, y, words = "Birch 12") => ({ x, y, reach: 2, words, size: 12 });
const apart = (a, b) =>
  a.right <= b.left || b.right <= a.left || a.bottom <= b.top || b.bottom <= a.top;

test("a name alone stands right of its point, at its height", () => {
  const [box] = placed([point(100, 50)]);
  assert.ok(box.left > 102 && box.left < 110);
  assert.equal((box.top + box.bottom) / 2, 50);
});

test("names of a thick wood never cover each other", () => {
  const wood = Array.from({ length: 80 }, (_, n) => point((n * 37) % 400, (n * 53) % 300));
  const boxes = placed(wood).filter(Boolean);
  assert.ok(boxes.length > 40);
  for (const [n, one] of boxes.entries())
    for (const other of boxes.slice(n + 1)) assert.ok(apart(one, other));
});

test("where there is no room a name is left out, and the first ones stay", () => {
  const boxes = placed(Array.from({ length: 40 }, () => point(10, 10)));
  assert.ok(boxes[0]);
  assert.equal(boxes.at(-1), null);
});

test("the name of an area lies over its middle", () => {
  const [box] = placed([{ ...point(60, 60, "Edge glade"), middle: true }]);
  assert.equal((box.left + box.right) / 2, 60);
});
