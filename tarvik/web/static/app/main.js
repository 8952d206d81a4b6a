// Starts the page: the components that it names are fetched and registered, then Alpine takes over.
import Alpine from "../vendor/alpine.min.js";
import { shutOnPhones } from "./phone.js";
import * as small from "./small.js";

// Larger components and the scripts they live in: a page fetches those that are on it.
const FETCHED = {
  bench: () => import("./bench.js"),
  board: () => import("./board.js"),
  drills: () => import("./drills.js"),
  field: () => import("./field.js"),
  ground: () => import("./ground.js"),
  hung: () => import("./hung.js"),
  kitPage: () => import("./kit.js"),
  kitTable: () => import("./kit.js"),
  moreKit: () => import("./more-kit.js"),
  night: () => import("./night.js"),
  plan: () => import("./plan.js"),
  stopwatch: () => import("./drills.js"),
};

const boxes = [...document.querySelectorAll("[x-data]")];
const named = new Set(boxes.map((box) => box.getAttribute("x-data")));
for (const [name, component] of Object.entries(small)) Alpine.data(name, component);
await Promise.all(
  [...named]
    .filter((name) => name in FETCHED)
    .map(async (name) => Alpine.data(name, (await FETCHED[name]())[name])),
);
// A button that starts something longer says so until the next page is there.
document.addEventListener("submit", (event) => {
  const button = event.submitter;
  if (!button?.dataset.busy) return;
  button.textContent = button.dataset.busy;
  button.setAttribute("aria-busy", "true");
});
// Signing out empties what this browser keeps: not before what waits in it was sent.
document.addEventListener("submit", (event) => {
  const form = /** @type {HTMLFormElement} */ (event.target);
  if (new URL(form.action, location.href).pathname !== "/sign-out") return;
  const waits = Object.keys(localStorage).filter((name) => name.startsWith("waiting "));
  const question =
    "Changes made without network still wait on this device, and would be lost. " +
    "Sign out all the same?";
  if (waits.length && !confirm(question)) event.preventDefault();
});
const kept = document.querySelector("[data-made]");
if (kept && !document.querySelector(".field"))
  import("./kept-mark.js")
    .then(({ mark }) => mark(kept))
    .catch(() => {});
shutOnPhones(document);
Alpine.start();
document.documentElement.dataset.ready = "yes";
