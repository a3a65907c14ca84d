// Keeps the page that stands in for the clock where there is no connection, and what
// it is made of. Everything else goes by the network alone.
addEventListener("install", function (e) {
  e.waitUntil(caches.open(version).then(function (c) { return c.addAll(kept); }).then(function () { return self.skipWaiting(); }));
});

addEventListener("activate", function (e) {
  e.waitUntil(caches.keys().then(function (names) {
    return Promise.all(names.filter(function (n) { return n !== version; }).map(function (n) { return caches.delete(n); }));
  }).then(function () { return self.clients.claim(); }));
});

addEventListener("message", function (e) { if (e.data === "claim") e.waitUntil(self.clients.claim()); });

addEventListener("fetch", function (e) {
  const address = new URL(e.request.url);
  if (e.request.method !== "GET" || address.origin !== location.origin) return;
  if (e.request.mode === "navigate") {
    const instead = address.pathname === "/terminal" ? "/terminal" : "/clock/offline";
    e.respondWith(fetch(e.request).catch(function () { return caches.match(instead); }));
  } else if (address.pathname.startsWith("/static/")) {
    e.respondWith(caches.match(e.request).then(function (found) { return found || fetch(e.request); }));
  }
});
