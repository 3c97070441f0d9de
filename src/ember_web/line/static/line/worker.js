// Opens the line's pages without a network: what was fetched last is kept, and given where the server does not answer. Marks,
// states and streams go past it. It is told by the page what belongs to it; a page that asks to sign in takes what was kept away.

const KEPT = "ember-line-1";
const PATIENCE_MS = 4000;
const scope = /** @type {any} */ (self);

/** @param {string} address */
const isPage = (address) => /\/k\/[^/]+\/line\/((pass|wall|handover)\/)?$/.test(new URL(address).pathname);
/** @param {string} address */
const isOurs = (address) => new URL(address).origin === location.origin;
/** @param {string} address */
const isFile = (address) => new URL(address).pathname.startsWith("/static/");
/** @param {string} address without what stands behind the page's own name */
const bare = (address) => address.split(/[?#]/)[0];

/** @param {string} address */
const keep = async (address) => {
  const reply = await fetch(address, { credentials: "same-origin" });
  await store(address, reply);
  return reply;
};

/**
 * @param {string} address
 * @param {Response} reply
 */
const store = async (address, reply) => {
  const cache = await caches.open(KEPT);
  if (reply.ok && !reply.redirected) await cache.put(bare(address), reply.clone());
  else if (isPage(address) && (reply.redirected || [401, 403, 404].includes(reply.status))) await caches.delete(KEPT);
};

/** @param {Request} request */
const answer = async (request) => {
  const kept = await (await caches.open(KEPT)).match(bare(request.url));
  const asked = fetch(request).then(async (reply) => {
    await store(request.url, reply).catch(() => {}); // a full disk: the answer is given anyway
    return reply;
  });
  if (!kept) return asked;
  const late = new Promise((done) => setTimeout(done, PATIENCE_MS, kept));
  return Promise.race([asked.catch(() => kept), late]);
};

scope.addEventListener("install", () => scope.skipWaiting());
scope.addEventListener("activate", (/** @type {any} */ e) =>
  e.waitUntil(
    caches
      .keys()
      .then((names) =>
        Promise.all(names.filter((n) => n.startsWith("ember-line-") && n !== KEPT).map((n) => caches.delete(n))),
      )
      .then(() => scope.clients.claim()),
  ),
);
scope.addEventListener("fetch", (/** @type {any} */ e) => {
  const { request } = e;
  if (request.method !== "GET" || !isOurs(request.url)) return;
  if (request.mode === "navigate" ? isPage(request.url) : isFile(request.url)) e.respondWith(answer(request));
});
scope.addEventListener("message", (/** @type {any} */ e) => {
  const asked = /** @type {string[]} */ (e.data.keep ?? []);
  const own = asked.filter((address) => isOurs(address) && (isPage(address) || isFile(address)));
  e.waitUntil(Promise.allSettled(own.map(keep)));
});
