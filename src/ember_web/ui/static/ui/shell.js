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
  place(document);
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
  // what could not be saved begins where it is wrong
  const wrong = document.querySelector('main [aria-invalid="true"]');
  if (wrong && document.activeElement === document.body) wrong.focus();
  let waiting = "";
  document.addEventListener("keydown", (e) => {
    if (e.target.matches("input,select,textarea") || e.ctrlKey || e.metaKey || e.altKey) return;
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
