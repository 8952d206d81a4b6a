// What waits on a device until there is network.
import assert from "node:assert/strict";
import { test } from "node:test";
import { Waiting } from "../../tarvik/web/static/app/waiting.js";

const shelf = () => {
  const kept = new Map();
  return {
    getItem: (name) => kept.get(name) ?? null,
    setItem: (name, value) => kept.set(name, value),
    removeItem: (name) => kept.delete(name),
  };
};

test("nothing is lost while there is no network, and the order stays", async () => {
  const store = shelf();
  const waiting = new Waiting("here", store);
  for (const body of ["a", "b", "c"]) waiting.put({ body });
  const fails = async () => {
    throw new TypeError("no network");
  };
  assert.equal(await waiting.send(fails), false);
  const sent = [];
  const later = new Waiting("here", store); // the page was closed meanwhile
  assert.equal(await later.send(async (one) => sent.push(one.body)), true);
  assert.deepEqual(sent, ["a", "b", "c"]);
  assert.deepEqual(later.list(), []);
});

test("what is said anew takes the place of what was said", () => {
  const waiting = new Waiting("here", shelf());
  waiting.put({ body: "lamp", replaces: "brings" });
  waiting.put({ body: "tall" });
  waiting.put({ body: "lamp and mat", replaces: "brings" });
  assert.deepEqual(
    waiting.list().map((one) => one.body),
    ["tall", "lamp and mat"],
  );
});

test("two that send at a time send each entry once", async () => {
  const waiting = new Waiting("here", shelf());
  waiting.put({ body: "a" });
  let times = 0;
  const post = async () => {
    times += 1;
    return true;
  };
  await Promise.all([waiting.send(post), waiting.send(post)]);
  assert.equal(times, 1);
});
