// Drills are scored on the device by what the engine worked out.
import assert from "node:assert/strict";
import { test } from "node:test";
import { isRight } from "../../tarvik/web/static/app/drills.js";
import { read } from "../../tarvik/web/static/app/lengths.js";

test("each right option is accepted, and no other", () => {
  assert.ok(isRight("choice", [0, 2], 2));
  assert.ok(!isRight("choice", [0, 2], 1));
});

test("steps that say the same may change places", () => {
  assert.ok(isRight("order", ["a", "b", "b"], ["a", "b", "b"]));
  assert.ok(!isRight("order", ["a", "b", "c"], ["a", "c", "b"]));
});

test("an estimate is right within its share", () => {
  assert.ok(isRight("estimate", 2, 2.29, 0.15));
  assert.ok(!isRight("estimate", 2, 2.31, 0.15));
});

test("lengths are read as people type them", () => {
  const near = (text, units, perUnit, metres) =>
    assert.ok(Math.abs(read(text, units, perUnit) - metres) < 1e-9, text);
  near("1.2", "metric", 1, 1.2);
  near("1,2", "metric", 1, 1.2);
  near("120 cm", "metric", 1, 1.2);
  near("4", "imperial", 0.3048, 1.2192);
  near("4 ft 2 in", "imperial", 0.3048, 1.27);
  near("4' 2\"", "imperial", 0.3048, 1.27);
  for (const none of ["", "tall", "4 ft tall", "1.2 3"])
    assert.equal(read(none, "metric", 1), null);
});
