// Keeps the page itself, so that a screen starts without a network. No figure and no key ever passes through it.
const kept = 'underbell screen 1';
const isPart = (url) => url.origin === self.location.origin && url.pathname.startsWith('/screen/assets/');

self.addEventListener('install', () => self.skipWaiting());
self.addEventListener('activate', (event) => event.waitUntil(self.clients.claim()));

// What the page had loaded before this worker was there.
self.addEventListener('message', (event) => {
  const parts = Array.isArray(event.data) ? event.data.filter((one) => isPart(new URL(one))) : [];
  event.waitUntil(caches.open(kept).then((cache) => cache.addAll([self.registration.scope, ...parts])));
});

/** Keeps an answer, if it is a good one and there is room for it: what cannot be kept is shown all the same. */
async function keep(cache, address, answer) {
  if (!answer.ok) return;
  try {
    await cache.put(address, answer.clone());
  } catch {
    // There is no room for it: the network brings it the next time as well.
  }
}

async function newestPage(request) {
  const cache = await caches.open(kept);
  try {
    const answer = await fetch(request);
    await keep(cache, self.registration.scope, answer);
    if (answer.status < 500) return answer;
  } catch {
    // There is no network: the page that was kept is as good.
  }
  return (await cache.match(self.registration.scope)) ?? Response.error();
}

async function part(request) {
  const cache = await caches.open(kept);
  const known = await cache.match(request);
  if (known) return known;
  const answer = await fetch(request);
  await keep(cache, request, answer);
  return answer;
}

self.addEventListener('fetch', (event) => {
  const url = new URL(event.request.url);
  if (event.request.method !== 'GET' || url.search !== '') return;
  if (event.request.mode === 'navigate') event.respondWith(newestPage(event.request));
  else if (isPart(url)) event.respondWith(part(event.request));
});
