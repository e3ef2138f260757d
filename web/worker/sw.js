// The pages' own files, kept for a dead spot. Nothing of a job is ever kept here: what is said of it is asked of the program.
const FILES = __FILES__;
const NAME = "open-stake-__VERSION__";
const PAGE_WAITS_MS = 3000;

self.addEventListener("install", (event) => {
  self.skipWaiting();
  event.waitUntil(caches.open(NAME).then((cache) => cache.addAll(FILES)));
});

self.addEventListener("activate", (event) => {
  const old = caches.keys().then((names) => Promise.all(names.filter((name) => name !== NAME).map((name) => caches.delete(name))));
  event.waitUntil(old.then(() => self.clients.claim()));
});

/** The program's page, or the kept one where it does not come in time. */
async function page(request) {
  const kept = await caches.match("/");
  try {
    return await fetch(request, kept ? { signal: AbortSignal.timeout(PAGE_WAITS_MS) } : {});
  } catch (error) {
    if (kept) return kept;
    throw error;
  }
}

self.addEventListener("fetch", (event) => {
  const { request } = event;
  const { origin, pathname } = new URL(request.url);
  if (request.method !== "GET" || origin !== self.location.origin || pathname.startsWith("/api/")) return;
  if (request.mode === "navigate") event.respondWith(page(request));
  else event.respondWith(caches.match(request).then((kept) => kept ?? fetch(request)));
});
