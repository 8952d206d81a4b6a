// Keeps the card and what it needs: from the network while there is one, else as it was at the last
// visit.
const STORE = "tarvik-card-1";

self.addEventListener("install", () => self.skipWaiting());
self.addEventListener("activate", (event) => event.waitUntil(self.clients.claim()));

async function keep(request, response) {
  if (response.ok) {
    const store = await caches.open(STORE);
    await store.put(request, response.clone());
  } else if (response.status === 404) {
    await caches.delete(STORE); // the link was taken back: nothing of it stays
  }
  return response;
}

self.addEventListener("message", (event) => {
  if (!event.data?.keep) return;
  event.waitUntil(
    (async () => {
      for (const part of [event.data.keep, ...event.data.parts]) {
        await fetch(part)
          .then((response) => keep(part, response))
          .catch(() => {});
      }
      event.source?.postMessage({ kept: true });
    })(),
  );
});

self.addEventListener("fetch", (event) => {
  if (event.request.method !== "GET") return;
  event.respondWith(
    fetch(event.request)
      .then((response) => keep(event.request, response))
      .catch(async () => {
        const store = await caches.open(STORE);
        return (
          (await store.match(event.request)) ||
          (await store.match(event.request, { ignoreSearch: true })) ||
          Response.error()
        );
      }),
  );
});
