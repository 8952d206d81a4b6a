// Starts the page: every component registers itself, then Alpine takes over.
import Alpine from "../vendor/alpine.min.js";
import {
  again,
  autoSubmit,
  fields,
  goTo,
  look,
  menus,
  printed,
  printer,
  savedFields,
  slow,
} from "./small.js";
import { bench } from "./bench.js";
import { board } from "./board.js";
import { ground } from "./ground.js";
import { hung } from "./hung.js";
import { kitPage, kitTable } from "./kit.js";
import { night } from "./night.js";
import { plan } from "./plan.js";

for (const [name, component] of Object.entries({
  again,
  autoSubmit,
  bench,
  board,
  fields,
  goTo,
  ground,
  hung,
  kitPage,
  kitTable,
  look,
  menus,
  night,
  plan,
  printed,
  printer,
  savedFields,
  slow,
})) {
  Alpine.data(name, component);
}
// A button that starts something longer says so until the next page is there.
document.addEventListener("submit", (event) => {
  const button = event.submitter;
  if (!button?.dataset.busy) return;
  button.textContent = button.dataset.busy;
  button.setAttribute("aria-busy", "true");
});
Alpine.start();
document.documentElement.dataset.ready = "yes";
