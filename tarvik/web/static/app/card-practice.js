// A participant's drills: once this page was open, they work on the phone without network too.
import { Round } from "./drills.js";

/** @type {HTMLElement} */
const root = document.querySelector("[data-drills]");
const round = new Round(root, location.pathname, root.dataset.send);
addEventListener("online", () => round.sendAll());
await round.fetchAll();
const worker = await navigator.serviceWorker?.register("/card-worker.js", { scope: "/card/" });
if (worker) {
  const used = performance.getEntriesByType("resource").map((one) => one.name);
  navigator.serviceWorker.addEventListener("message", (event) => {
    if (event.data?.kept) document.documentElement.dataset.kept = "yes";
  });
  const { active } = await navigator.serviceWorker.ready;
  active?.postMessage({
    pages: [location.href, ...used.filter((name) => name.includes("/practice/"))],
    parts: used.filter((name) => name.includes("/static/")),
  });
}
document.documentElement.dataset.ready = "yes";
