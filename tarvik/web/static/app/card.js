// A participant's card: kept for when there is no network, and says so when that is what is shown.
if ("serviceWorker" in navigator) {
  navigator.serviceWorker.register("/card-worker.js", { scope: "/card/" }).catch(() => {});
  navigator.serviceWorker.ready.then((worker) =>
    worker.active?.postMessage({
      keep: location.href,
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
