// Keeps the pages that a leader wants in the field: from the network while there is one, else as
// they were when they were last loaded.
const STORE = "tarvik-field-1";
const HOME = "/field"; // where the installed app begins

self.addEventListener("install", () => self.skipWaiting());
self.addEventListener("activate", (event) => event.waitUntil(self.clients.claim()));

const pathOf = (address) => new URL(address, self.location.href).pathname;

// A kept page follows what the server has; one that may not be seen any more goes.
async function follow(request, response) {
  const store = await caches.open(STORE);
  const elsewhere = response.redirected || response.type === "opaqueredirect";
  if (response.ok && !elsewhere) await store.put(request, response.clone());
  else if (elsewhere || [401, 403, 404].includes(response.status)) await store.delete(request);
}

self.addEventListener("message", (event) => {
  if (!event.data?.pages) return;
  event.waitUntil(
    (async () => {
      const store = await caches.open(STORE);
      let done = 0;
      const { parts, pages } = event.data;
      // A part's address changes with what is in it: one that is kept need not be fetched again.
      const missing = await Promise.all(
        parts.map(async (part) => ((await store.match(part)) ? null : part)),
      );
      const wanted = [...missing.filter(Boolean), ...pages];
      for (const page of wanted) {
        await fetch(page)
          .then((response) => follow(page, response))
          .then(() => (done += 1))
          .catch(() => {});
        event.source?.postMessage({ kept: done, of: wanted.length });
      }
      await store.put(HOME, new Response(event.data.home));
      event.source?.postMessage({ done: true });
      await keepSlow(store, event.data);
    })(),
  );
});

// Pages that the server works at for long: kept anew only when the course was changed since.
async function keepSlow(store, { slow, asOf, home }) {
  const mark = `${pathOf(home)}/as-of`;
  if (!slow?.length || (await (await store.match(mark))?.text()) === asOf) return;
  for (const page of slow) {
    const response = await fetch(page).catch(() => null);
    if (!response) return;
    await follow(page, response);
  }
  await store.put(mark, new Response(asOf));
}

const NOT_KEPT = `<!doctype html><html lang="en"><meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1"><title>Not kept</title>
<body><h1>No network</h1><p>This page was not kept on this phone.
<a href="${HOME}">Open the field page</a>, which is.</p></body></html>`;

async function kept(request) {
  const store = await caches.open(STORE);
  if (request.mode === "navigate" && pathOf(request.url) === HOME) {
    const home = await store.match(HOME);
    if (home) return Response.redirect(await home.text());
  }
  const found = await store.match(request);
  if (found) return found;
  if (request.mode !== "navigate") return Response.error();
  return new Response(NOT_KEPT, { headers: { "Content-Type": "text/html; charset=utf-8" } });
}

async function answer(request) {
  const response = await fetch(request).catch(() => null);
  if (!response) return kept(request);
  const store = await caches.open(STORE);
  if (await store.match(request)) await follow(request, response);
  return response;
}

self.addEventListener("fetch", (event) => {
  const { request } = event;
  if (request.method !== "GET" || pathOf(request.url) === "/healthz") return;
  if (request.headers.get("accept")?.includes("text/event-stream")) return;
  event.respondWith(answer(request));
});
