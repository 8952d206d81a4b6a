// A participant's card: kept for when there is no network, and says so when that is what is shown.
if ("serviceWorker" in navigator) {
  navigator.serviceWorker.register("/card-worker.js", { scope: "/card/" }).catch(() => {});
  navigator.serviceWorker.ready.then((worker) => worker.active?.postMessage({ keep: location.href, parts: [...document.querySelectorAll("link[rel=stylesheet], script[src], link[rel=icon]")].map((part) => part.href || part.src) }));
  navigator.serviceWorker.addEventListener("message", (event) => {
    if (event.data?.kept) document.documentElement.dataset.kept = "yes";
  });
}
const offline = document.getElementById("offline");
const show = () => { offline.hidden = navigator.onLine; };
addEventListener("online", show);
addEventListener("offline", show);
show();
