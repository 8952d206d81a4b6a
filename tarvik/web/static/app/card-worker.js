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
    await forget(new URL(response.url || request.url || request).pathname);
  }
  return response;
}

// The link was taken back: nothing of its card, nor of its drills, stays. Another card on the same
// phone does.
const cardOf = (path) => path.split("/").slice(0, 3).join("/");

async function forget(path) {
  const store = await caches.open(STORE);
  for (const each of await store.keys())
    if (cardOf(new URL(each.url).pathname) === cardOf(path)) await store.delete(each);
}

self.addEventListener("message", (event) => {
  if (!event.data?.pages) return;
  event.waitUntil(
    (async () => {
      for (const part of [...event.data.pages, ...event.data.parts]) {
        await fetch(part)
          .then((response) => keep(part, response))
          .catch(() => {});
      }
      event.source?.postMessage({ kept: true });
    })(),
  );
});

const NOT_KEPT = `<!doctype html><html lang="en"><meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1"><title>Not kept</title>
<body><h1>No network</h1><p>This night was not kept on this phone. Go back to a night that was, or
ask your leader.</p></body></html>`;

// Each night is kept under its own address, and no night stands in for another.
async function kept(request) {
  const store = await caches.open(STORE);
  const exact = await store.match(request);
  if (exact) return exact;
  if (request.mode !== "navigate") return Response.error();
  if (new URL(request.url).searchParams.has("night"))
    return new Response(NOT_KEPT, { headers: { "Content-Type": "text/html; charset=utf-8" } });
  return (await store.match(request, { ignoreSearch: true })) || Response.error();
}

self.addEventListener("fetch", (event) => {
  if (event.request.method !== "GET") return;
  event.respondWith(
    fetch(event.request)
      .then((response) => keep(event.request, response))
      .catch(() => kept(event.request)),
  );
});
