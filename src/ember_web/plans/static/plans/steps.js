// Steps back and forward through what was changed in the sentence; the steps of a plan outlive a reload of its page.
(() => {
  const MOST = 60;
  const here = () => location.pathname + location.search;
  /** @typedef {{ at: number, all: string[] }} Steps */
  /** @param {string} address */
  const place = (address) => address.split("?")[0].replace(/quick\/$/, "");
  const key = () => `ember-steps:${place(here())}`;
  /** @returns {Steps} */
  const read = () => {
    try {
      return JSON.parse(sessionStorage.getItem(key()) ?? "null") || { at: -1, all: [] };
    } catch {
      return { at: -1, all: [] };
    }
  };
  /** @param {Steps} steps */
  const write = (steps) => {
    try {
      sessionStorage.setItem(key(), JSON.stringify(steps));
    } catch {
      /* private window: the browser's own back still works */
    }
  };
  // without where the cursor stands: it is no step
  /** @param {string} address */
  const bare = (address) => {
    const url = new URL(address, location.origin);
    url.searchParams.delete("at");
    return url.pathname + url.search;
  };
  const show = () => {
    const { at, all } = read();
    for (const box of document.querySelectorAll("[data-steps]")) {
      box.classList.toggle("is-on", all.length > 1);
      for (const button of /** @type {NodeListOf<HTMLButtonElement>} */ (box.querySelectorAll("[data-step]")))
        button.disabled = all[at + Number(button.dataset.step)] === undefined;
    }
  };
  const note = () => {
    const steps = read(),
      now = bare(here());
    if (steps.all[steps.at] !== now) {
      const known = [steps.at - 1, steps.at + 1].find((i) => steps.all[i] === now);
      if (known === undefined) {
        steps.all = [...steps.all.slice(0, steps.at + 1), now].slice(-MOST);
        steps.at = steps.all.length - 1;
      } else steps.at = known; // the browser's own back or forward
      write(steps);
    }
    show();
  };
  document.addEventListener("click", (e) => {
    const button = /** @type {Element} */ (e.target).closest("[data-step]");
    if (!(button instanceof HTMLElement)) return;
    const steps = read(),
      to = steps.all[steps.at + Number(button.dataset.step)];
    if (to === undefined) return;
    steps.at += Number(button.dataset.step);
    write(steps);
    history.pushState({ htmx: true }, "", to);
    window.htmx?.ajax("GET", to, { target: "#plan", swap: "innerHTML" }).then(show);
  });
  document.addEventListener("htmx:pushedIntoHistory", note);
  document.addEventListener("htmx:historyRestore", note);
  document.addEventListener("htmx:afterSettle", show);
  if (document.readyState === "loading") document.addEventListener("DOMContentLoaded", note);
  else note();
})();
