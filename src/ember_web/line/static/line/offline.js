// Has the browser keep this page and all it is made of, so that it opens without a network. Only where the page came safely (https,
// or this machine): elsewhere browsers allow no worker, and the page still works while it is open.

/** @param {string} worker its address, in the folder of the line's pages */
export const keepOffline = async (worker) => {
  if (!navigator.serviceWorker || !worker) return;
  try {
    await navigator.serviceWorker.register(worker);
    const ready = await navigator.serviceWorker.ready;
    const files = performance.getEntriesByType("resource").map((entry) => entry.name);
    ready.active?.postMessage({ keep: [location.origin + location.pathname, ...files] });
  } catch {
    /* not allowed here, or the server is gone: the page goes on without */
  }
};
