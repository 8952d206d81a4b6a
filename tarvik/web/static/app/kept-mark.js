// Says on every page of a course what the field page says: that this is a page kept on the device,
// and since when, and how many changes wait to be sent.
import { reachable } from "./waiting.js";

const WAITING = "waiting field ";

export const waits = (store = globalThis.localStorage) =>
  Object.keys(store)
    .filter((name) => name.startsWith(WAITING))
    .reduce((sum, name) => sum + JSON.parse(store.getItem(name) || "[]").length, 0);

export const words = (there, made, count) => {
  const at = made.toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" });
  const kept = there ? "" : `No network: kept at ${at}`;
  const waiting = count ? `${count} ${count === 1 ? "change waits" : "changes wait"}` : "";
  return [kept, waiting].filter(Boolean).join("; ");
};

export const mark = async (box) => {
  const count = waits();
  if (!count && !navigator.serviceWorker?.controller) return;
  const told = words(await reachable(), new Date(box.dataset.made), count);
  if (!told) return;
  const link = document.createElement("a");
  link.href = "/field";
  link.textContent = "In the field";
  box.replaceChildren(`${told}. `, link);
  box.hidden = false;
};
