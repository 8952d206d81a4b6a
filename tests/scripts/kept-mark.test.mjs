import assert from "node:assert/strict";
import test from "node:test";
import { waits, words } from "../../tarvik/web/static/app/kept-mark.js";

test("what waits is counted over all courses, and said with when the page was kept", () => {
  const store = {
    "waiting field 1": JSON.stringify([{}, {}]),
    "waiting field 2": JSON.stringify([{}]),
    "aside field 1": JSON.stringify([{}]),
    getItem(name) {
      return this[name];
    },
  };
  assert.equal(waits(store), 3);
  const made = new Date(2027, 8, 23, 17, 42);
  assert.equal(words(false, made, 3), "No network: kept at 17:42; 3 changes wait");
  assert.equal(words(false, made, 0), "No network: kept at 17:42");
  assert.equal(words(true, made, 1), "1 change waits");
  assert.equal(words(true, made, 0), "");
});
