// A participant's card: kept for when there is no network, and says so when that is what is shown.
if ("serviceWorker" in navigator) {
  navigator.serviceWorker.register("/card-worker.js", { scope: "/card/" }).catch(() => {});
  navigator.serviceWorker.ready.then((worker) =>
    worker.active?.postMessage({
      pages: [
        location.href,
        ...[...document.querySelectorAll(".tabs a")].map((night) => night.href),
      ],
      parts: [
        ...document.querySelectorAll("link[rel=stylesheet], script[src], link[rel=icon]"),
      ].map((part) => part.href || part.src),
    }),
  );
  navigator.serviceWorker.addEventListener("message", (event) => {
    if (event.data?.kept) document.documentElement.dataset.kept = "yes";
  });
}
// Being on some network is not yet reaching Tarvik: it is asked, past the worker that keeps the
// card.
const offline = document.getElementById("offline");
const look = async () => {
  offline.hidden = await fetch("/healthz", { method: "HEAD", cache: "no-store" }).then(
    () => true,
    () => false,
  );
};
addEventListener("online", look);
addEventListener("offline", look);
look();

// One step at a time, in large letters, while the screen stays on; a drawing as large as the phone.
const large = document.getElementById("large");
const steps = [...document.querySelectorAll(".setup-card .steps li")].map(
  (step) => step.textContent,
);
let at = 0;
let awake = null;

const stayAwake = async () => {
  awake = await navigator.wakeLock?.request("screen").catch(() => null);
};

const showStep = () => {
  large.querySelector("[data-what]").textContent = `Step ${at + 1} of ${steps.length}`;
  large.querySelector("[data-body]").textContent = steps[at];
  large.querySelector("[data-by='-1']").disabled = at === 0;
  large.querySelector("[data-by='1']").disabled = at === steps.length - 1;
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
  const by = event.target.closest("[data-by]")?.dataset.by;
  if (!by) return;
  at = Math.min(Math.max(at + Number(by), 0), steps.length - 1);
  showStep();
});
large?.addEventListener("close", () => {
  awake?.release();
  awake = null;
});
