import { Waiting, bodyOf, parts, reachable } from "./waiting.js";

// A participant's card: kept for when there is no network, and says so when that is what is shown.
if ("serviceWorker" in navigator) {
  navigator.serviceWorker.register("/card-worker.js", { scope: "/card/" }).catch(() => {});
  navigator.serviceWorker.ready.then((worker) =>
    worker.active?.postMessage({
      pages: [
        location.href,
        ...[...document.querySelectorAll("a")]
          .filter((night) => night.matches(".tabs a"))
          .map((night) => night.href),
      ],
      parts: parts(["stylesheet", "icon"]),
    }),
  );
  navigator.serviceWorker.addEventListener("message", (event) => {
    if (event.data?.kept) document.documentElement.dataset.kept = "yes";
  });
}
const offline = document.getElementById("offline");
const look = async () => {
  offline.hidden = await reachable();
};
// What a participant ticks or puts right is sent at once, or waits on the phone until it can be.
const card = location.pathname;
const waiting = new Waiting(`waiting ${card}`);
/** @type {HTMLFormElement} */
const brings = document.querySelector("#brings form");
const said = document.querySelector("[data-sent]");
const WAITS = "Kept on this phone; it is sent when there is network.";

const post = async (entry) => {
  const answer = await fetch(entry.action, {
    method: "POST",
    body: new URLSearchParams(entry.body),
  });
  if (answer.status >= 500) return false;
  if (entry.replaces !== brings.action) show(answer.url, await answer.text());
  return true;
};
// The answer to what was put right: thanks, or what is wrong with it, beside what was typed.
const show = (url, html) => {
  const told = new DOMParser().parseFromString(html, "text/html");
  const words = told.querySelector("[role=alert], .notice[role=status]");
  said.textContent = words ? words.textContent : "";
};
const sendAll = async () => {
  if (!waiting.list().length) return;
  const all = await waiting.send(post);
  const last = all && !said.textContent;
  if (!all) said.textContent = WAITS;
  else if (last || said.textContent === WAITS) said.textContent = "Saved.";
};
const say = (form) => {
  said.textContent = "";
  waiting.put({ action: form.action, body: bodyOf(form), replaces: form.action });
  sendAll();
};
document.addEventListener("submit", (event) => {
  const form = /** @type {HTMLFormElement} */ (event.target);
  if (form.method !== "post") return;
  event.preventDefault();
  say(form);
});
brings.addEventListener("change", () => say(brings));
// A kept card shows the ticks as they were; what waits has the last word.
for (const entry of waiting.list().filter((one) => one.action === brings.action)) {
  const now = new URLSearchParams(entry.body);
  for (const box of brings.querySelectorAll("input"))
    if (box.type === "checkbox") box.checked = now.has(box.name);
}
sendAll();
addEventListener("online", () => {
  look();
  sendAll();
});
addEventListener("offline", look);
look();

// One step at a time, in large letters, while the screen stays on; a drawing as large as the phone.
const large = /** @type {HTMLDialogElement} */ (document.getElementById("large"));
const steps = [...document.querySelectorAll(".setup-card .steps li")].map(
  (step) => step.textContent,
);
let at = 0;
let awake = null;

// How long setting up has taken so far: from the first step on.
/** @type {HTMLElement} */
const timer = large.querySelector("[data-timer]");
let began = 0;
let ticking = 0;
const tick = () => {
  const seconds = Math.floor((Date.now() - began) / 1000);
  const rest = String(seconds % 60).padStart(2, "0");
  timer.textContent = `${Math.floor(seconds / 60)}:${rest} since the first step`;
};

const stayAwake = async () => {
  awake = await navigator.wakeLock?.request("screen").catch(() => null);
};

const showStep = () => {
  large.querySelector("[data-what]").textContent = `Step ${at + 1} of ${steps.length}`;
  large.querySelector("[data-body]").textContent = steps[at];
  for (const button of large.querySelectorAll("button")) {
    if (button.dataset.by === "-1") button.disabled = at === 0;
    if (button.dataset.by === "1") button.disabled = at === steps.length - 1;
  }
};

const open = (what, stepping) => {
  large.dataset.stepping = stepping ? "yes" : "no";
  large.querySelector("[data-what]").textContent = what;
  large.showModal();
};

document.querySelector("[data-stepwise]")?.addEventListener("click", () => {
  at = 0;
  open("", true);
  const above = document.querySelector(".card-drawings .above svg");
  large.querySelector("[data-beside]").replaceChildren(above.cloneNode(true));
  showStep();
  stayAwake();
  began ||= Date.now();
  timer.hidden = false;
  tick();
  ticking = setInterval(tick, 1000);
});
document.querySelector("[data-larger-map]")?.addEventListener("click", () => {
  open("Where you are in the camp", false);
  large.querySelector("[data-beside]").replaceChildren();
  large
    .querySelector("[data-body]")
    .replaceChildren(document.querySelector(".own-map svg").cloneNode(true));
});
for (const figure of document.querySelectorAll(".card-drawings figure")) {
  const button = document.createElement("button");
  button.type = "button";
  button.className = "btn btn-sm btn-outline-primary";
  button.textContent = "Larger";
  button.addEventListener("click", () => {
    open(figure.querySelector("figcaption").textContent, false);
    large.querySelector("[data-beside]").replaceChildren();
    large.querySelector("[data-body]").replaceChildren(figure.querySelector("svg").cloneNode(true));
  });
  figure.append(button);
}
large?.addEventListener("click", (event) => {
  const by = /** @type {HTMLElement} */ (event.target).closest("button")?.dataset.by;
  if (!by) return;
  at = Math.min(Math.max(at + Number(by), 0), steps.length - 1);
  showStep();
});
large?.addEventListener("close", () => {
  awake?.release();
  clearInterval(ticking);
  timer.hidden = true;
  awake = null;
});
