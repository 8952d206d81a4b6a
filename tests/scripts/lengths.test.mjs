// What sliders show while they move. Values worked out by hand: an inch is 25.4 mm.
import assert from "node:assert/strict";
import { test } from "node:test";
import { shown } from "../../tarvik/web/static/app/lengths.js";

test("metres have two places", () => {
  assert.equal(shown(0.951, "metric", "m"), "0.95 m");
  assert.equal(shown(-0.3, "metric", "m"), "-0.30 m");
});

test("feet and whole inches, neither where it is nothing", () => {
  assert.equal(shown(0.9144, "imperial", "m"), "3 ft");
  assert.equal(shown(1.2954, "imperial", "m"), "4 ft 3 in");
  assert.equal(shown(0.127, "imperial", "m"), "5 in");
  assert.equal(shown(0, "imperial", "m"), "0 in");
});

test("inches that fill a foot become one", () => {
  assert.equal(shown(0.3, "imperial", "m"), "1 ft");
});

test("what is lowered has its sign once", () => {
  assert.equal(shown(-0.3302, "imperial", "m"), "-1 ft 1 in");
});

test("angles are degrees in any units", () => {
  assert.equal(shown(35, "imperial", "degrees"), "35°");
});
