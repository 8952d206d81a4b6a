// A drag on the turning body moves the setting whose way it follows.
import assert from "node:assert/strict";
import { test } from "node:test";
import { held, movedBy } from "../../tarvik/web/static/app/handles.js";

const flat = ([x, , z]) => [100 + 100 * x, 200 - 100 * z]; // seen from the front, 100 px a metre
const peak = { at: [0, 0, 1], setting: "height", way: [0, 0, 1] };
const edge = { at: [1, 0, 0], setting: "inset", way: [0.5, 0, 0] };

test("the nearest handle within reach is taken, and none elsewhere", () => {
  assert.equal(held([peak, edge], flat, [104, 96]).setting, "height");
  assert.equal(held([peak, edge], flat, [190, 205]).setting, "inset");
  assert.equal(held([peak, edge], flat, [150, 150]), null);
});

test("a drag along its way moves a setting by as much, across it by nothing", () => {
  const up = held([peak], flat, [100, 100]);
  assert.equal(movedBy(up, 0, -10), 0.1);
  assert.equal(movedBy(up, 30, 0), 0);
  assert.equal(movedBy(held([edge], flat, [200, 200]), 25, 8), 0.5);
});

test("a point seen end on is not taken", () => {
  const end = { at: [0, 0, 1], setting: "reach", way: [0, 1, 0] };
  assert.equal(held([end], flat, [100, 100]), null);
});
