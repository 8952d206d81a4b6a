// Starts the page: every component registers itself, then Alpine takes over.
import Alpine from "../vendor/alpine.min.js";
import { autoSubmit, fields, printer } from "./small.js";
import { bench } from "./bench.js";
import { board } from "./board.js";
import { kitTable } from "./kit.js";

for (const [name, component] of Object.entries({ autoSubmit, bench, board, fields, kitTable, printer })) {
  Alpine.data(name, component);
}
Alpine.start();
document.documentElement.dataset.ready = "yes";
