import { clockOf } from "./said.js";
import { keeper } from "./typed.js";

// The frame of every page: kitchen clock, strip positions, shortcuts, small conveniences.
(() => {
  const now = document.getElementById("now");
  if (now) {
    const began = performance.now(),
      base = Number(now.dataset.now) * 1000,
      rate = Number(now.dataset.rate);
    const clock = clockOf(now.dataset.zone ?? "UTC");
    window.emberNow = () => base + (performance.now() - began) * rate;
    setInterval(() => {
      now.textContent = clock.at(window.emberNow?.() ?? base);
    }, 500);
  }
  /**
   * @template {HTMLElement} T
   * @param {string} id
   * @returns {T | null}
   */
  const known = (id) => /** @type {T | null} */ (document.getElementById(id));
  /**
   * What a click or a key was on.
   * @param {Event} e
   */
  const on = (e) => /** @type {HTMLInputElement} */ (e.target);
  const showKeys = () => /** @type {HTMLDialogElement | null} */ (known("keys"))?.showModal();
  /** @param {ParentNode} root */
  const place = (root) => {
    for (const el of /** @type {NodeListOf<HTMLElement>} */ (root.querySelectorAll("[data-left]")))
      el.style.left = `${el.dataset.left}%`;
    for (const el of /** @type {NodeListOf<HTMLInputElement>} */ (root.querySelectorAll(".fresh-id")))
      if (!el.value) el.value = crypto.randomUUID ? crypto.randomUUID() : "";
  };
  const sizeWords = () => {
    for (const svg of /** @type {NodeListOf<SVGSVGElement>} */ (document.querySelectorAll("main svg[viewBox]"))) {
      const wide = svg.getBoundingClientRect().width;
      if (wide > 0) svg.style.setProperty("--shrunk", Math.max(svg.viewBox.baseVal.width / wide, 1).toFixed(3));
    }
  };
  place(document);
  sizeWords();
  window.addEventListener("resize", sizeWords);
  document.addEventListener("htmx:afterSettle", sizeWords);
  document.addEventListener("htmx:load", (e) => place(e.detail.elt));
  document.addEventListener("click", (e) => {
    const button = /** @type {HTMLElement | null} */ (on(e).closest("[data-set]"));
    if (button) {
      const field = /** @type {HTMLInputElement | null} */ (document.querySelector(`[name="${button.dataset.set}"]`));
      if (field) {
        field.value = button.dataset.value ?? "";
        field.dispatchEvent(new Event("change", { bubbles: true }));
      }
    }
    if (on(e).id === "show-keys") showKeys();
    if (on(e).id === "theme-toggle") {
      const html = document.documentElement;
      html.dataset.bsTheme = html.dataset.bsTheme === "night" ? "day" : "night";
      try {
        localStorage.setItem("ember-line-theme", html.dataset.bsTheme);
      } catch {
        /* private window */
      }
    }
  });
  document.addEventListener("change", (e) => {
    if (on(e).matches("[data-submit]")) on(e).form?.requestSubmit();
  });
  keeper();
  // who signs out leaves no page of the line behind on this device
  document.querySelector("form.out")?.addEventListener("submit", async () => {
    for (const name of (await globalThis.caches?.keys()) ?? [])
      if (name.startsWith("ember-line-")) caches.delete(name);
  });
  // what could not be saved begins where it is wrong
  const wrong = /** @type {HTMLElement | null} */ (document.querySelector('main [aria-invalid="true"]'));
  if (wrong && document.activeElement === document.body) wrong.focus();
  // a verdict or an error that came with a swap is said from a region that was there before
  const announce = () => {
    const said = [...document.querySelectorAll("main .errors, main .verdict")].map((el) => el.textContent);
    const words = said.join(" ").replace(/\s+/g, " ").trim();
    const region = document.getElementById("announce");
    if (region && region.dataset.said !== undefined && region.dataset.said !== words) region.textContent = words;
    if (region) region.dataset.said = words;
  };
  document.addEventListener("htmx:afterSettle", announce);
  announce();
  // single letters can be switched off, and never act behind a dialog or a sheet
  const KEYS_OFF = "ember-single-keys-off";
  /** @param {boolean} [value] */
  const stored = (value) => {
    try {
      if (value === undefined) return localStorage.getItem(KEYS_OFF) === "1";
      if (value) localStorage.setItem(KEYS_OFF, "1");
      else localStorage.removeItem(KEYS_OFF);
    } catch {
      /* private window */
    }
    return Boolean(value);
  };
  let keysOff = stored();
  const choice = /** @type {HTMLInputElement | null} */ (known("single-keys"));
  if (choice) {
    choice.checked = !keysOff;
    choice.addEventListener("change", () => {
      keysOff = stored(!choice.checked);
    });
  }
  let waiting = "";
  document.addEventListener("keydown", (e) => {
    if (on(e).matches("input,select,textarea") || e.ctrlKey || e.metaKey || e.altKey) return;
    if (document.querySelector("dialog[open], #stepper:not([hidden]), [aria-modal='true']")) return;
    if (keysOff && e.key.length === 1) return;
    if (e.key === "?") {
      showKeys();
      return;
    }
    if (e.key === "/") {
      const q = /** @type {HTMLInputElement | null} */ (known("q"));
      if (q) {
        e.preventDefault();
        q.focus();
        q.select();
      }
      return;
    }
    if (e.key === "Enter" && on(e).closest("a,button,summary,[tabindex]")) return; // it acts on what has the focus
    const keyed = /** @type {HTMLElement | null} */ (document.querySelector(`[data-key="${CSS.escape(e.key)}"]`));
    if (keyed && !waiting) {
      keyed.click();
      return;
    }
    const links = [.../** @type {NodeListOf<HTMLAnchorElement>} */ (document.querySelectorAll(".top nav a"))];
    if (waiting === "g") {
      const to = "lpeob".indexOf(e.key);
      if (to >= 0 && links[to]) location.href = links[to].href;
      waiting = "";
    } else if (e.key === "g") {
      waiting = "g";
      setTimeout(() => {
        waiting = "";
      }, 1000);
    }
  });
})();
