import { clockOf } from "./said.js";
import { keeper } from "./typed.js";

// The frame of every page: kitchen clock, strip positions, shortcuts, small conveniences.
(() => {
  const now = document.getElementById("now");
  if (now) {
    const began = performance.now(),
      base = Number(now.dataset.now) * 1000,
      rate = Number(now.dataset.rate);
    const clock = clockOf(now.dataset.zone);
    window.emberNow = () => base + (performance.now() - began) * rate;
    setInterval(() => {
      now.textContent = clock.at(window.emberNow());
    }, 500);
  }
  const place = (root) => {
    for (const el of root.querySelectorAll("[data-left]")) el.style.left = `${el.dataset.left}%`;
    for (const el of root.querySelectorAll(".fresh-id"))
      if (!el.value) el.value = crypto.randomUUID ? crypto.randomUUID() : "";
  };
  const sizeWords = () => {
    for (const svg of document.querySelectorAll("main svg[viewBox]")) {
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
    const button = e.target.closest("[data-set]");
    if (button) {
      const field = document.querySelector(`[name="${button.dataset.set}"]`);
      if (field) {
        field.value = button.dataset.value;
        field.dispatchEvent(new Event("change", { bubbles: true }));
      }
    }
    if (e.target.id === "show-keys") document.getElementById("keys").showModal();
    if (e.target.id === "theme-toggle") {
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
    if (e.target.matches("[data-submit]")) e.target.form.requestSubmit();
  });
  keeper();
  // who signs out leaves no page of the line behind on this device
  document.querySelector("form.out")?.addEventListener("submit", async () => {
    for (const name of (await globalThis.caches?.keys()) ?? [])
      if (name.startsWith("ember-line-")) caches.delete(name);
  });
  // what could not be saved begins where it is wrong
  const wrong = document.querySelector('main [aria-invalid="true"]');
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
  const choice = document.getElementById("single-keys");
  if (choice) {
    choice.checked = !keysOff;
    choice.addEventListener("change", () => {
      keysOff = stored(!choice.checked);
    });
  }
  let waiting = "";
  document.addEventListener("keydown", (e) => {
    if (e.target.matches("input,select,textarea") || e.ctrlKey || e.metaKey || e.altKey) return;
    if (document.querySelector("dialog[open], #stepper:not([hidden]), [aria-modal='true']")) return;
    if (keysOff && e.key.length === 1) return;
    if (e.key === "?") {
      document.getElementById("keys").showModal();
      return;
    }
    if (e.key === "/") {
      const q = document.getElementById("q");
      if (q) {
        e.preventDefault();
        q.focus();
        q.select();
      }
      return;
    }
    if (e.key === "Enter" && e.target.closest("a,button,summary,[tabindex]")) return; // it acts on what has the focus
    const keyed = document.querySelector(`[data-key="${CSS.escape(e.key)}"]`);
    if (keyed && !waiting) {
      keyed.click();
      return;
    }
    const links = [...document.querySelectorAll(".top nav a")];
    if (waiting === "g") {
      const to = { l: 0, p: 1, e: 2, o: 3, b: 4 }[e.key];
      if (to !== undefined && links[to]) location.href = links[to].href;
      waiting = "";
    } else if (e.key === "g") {
      waiting = "g";
      setTimeout(() => {
        waiting = "";
      }, 1000);
    }
  });
})();
