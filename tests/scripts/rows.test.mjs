// Many things done a few at a time.
import assert from "node:assert/strict";
import { test } from "node:test";
import { atOnce } from "../../tarvik/web/static/app/rows.js";

const breath = () => new Promise((done) => setTimeout(done, 1));

test("all are done, in their order, never more than two at a time", async () => {
  const begun = [];
  let [now, most] = [0, 0];
  await atOnce([1, 2, 3, 4, 5], 2, async (one) => {
    begun.push(one);
    now += 1;
    most = Math.max(most, now);
    await breath();
    now -= 1;
  });
  assert.deepEqual(begun, [1, 2, 3, 4, 5]);
  assert.equal(most, 2);
});

test("a failure is told", async () => {
  const fails = async () => {
    throw new Error("no answer");
  };
  await assert.rejects(atOnce([1], 2, fails), /no answer/);
});
