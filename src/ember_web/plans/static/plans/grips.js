import { scales } from "../ui/chart.js";
import { form, input, number, rules, unit, within } from "./quantities.js";

// What if, on the picture: a grip each for size, start, heat and target. While it is dragged the plan is asked anew as fast as it
// answers; the last value is entered in the sentence like one that was typed.
(() => {
  const GRAIN = { width: 664, high: 148, box: 166, left: 44 };
  const BOX = 206; // of the trace
  const STEPS = new Map(
    Object.entries({ ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1, PageUp: 5, PageDown: -5 }),
  );
  /** @typedef {import("../ui/chart.js").Spec} Spec */
  /** @typedef {{ field: string, from: number, first: string, value: string, sent: string, start: number, worth: number }} Drag */
  /** @type {Drag | null} */
  let drag = null;
  let busy = false;
  let keyed = "";

  /** @returns {Spec | null} */
  const spec = () => {
    const source = document.getElementById("trace-data");
    return source ? JSON.parse(source.textContent ?? "") : null;
  };
  /** @returns {NodeListOf<HTMLElement>} */
  const grips = () => document.querySelectorAll(".grip");
  /** @param {Event} e */
  const gripOf = (e) =>
    /** @type {HTMLElement | null | undefined} */ (/** @type {Element} */ (e.target).closest?.(".grip"));
  /**
   * What a grip is of.
   * @param {HTMLElement} grip
   */
  const fieldOf = (grip) => grip.dataset.grip ?? "";
  /** @param {string} field */
  const told = (field) => number(input(field)?.value);
  /**
   * How much wider a grip's picture is shown than it is drawn.
   * @param {HTMLElement} grip
   */
  const widthOf = (grip) =>
    (grip.parentElement?.querySelector("svg")?.getBoundingClientRect().width ?? GRAIN.width) / GRAIN.width;

  // where a grip stands, in parts of its picture, and how much one unit of the picture is worth
  /**
   * @param {string} field
   * @param {Spec} of
   */
  const places = (field, of) => {
    const value = told(field),
      [, , left, right] = of.size,
      { degrees } = scales(of);
    const [low, high] = degrees.domain();
    const perUnit = (high - low) / of.size[1];
    if (field === "size_mm") return { x: GRAIN.left, y: GRAIN.high, box: GRAIN.box, worth: value / GRAIN.high };
    if (field === "start_c") return { x: left, y: degrees(value), box: BOX, worth: -perUnit };
    if (field === "target_c") return { x: of.size[0] - right, y: degrees(value), box: BOX, worth: -perUnit };
    return { x: left + 0.5 * (of.size[0] - left - right), y: 6, box: BOX, worth: value > 110 ? -1 : -0.1 };
  };

  const place = () => {
    const of = spec();
    for (const grip of grips()) {
      const field = fieldOf(grip),
        here = input(field);
      if (!of || !here || here.type === "hidden" || !Number.isFinite(number(here.value))) {
        grip.hidden = true;
        continue;
      }
      const at = places(field, of),
        wide = widthOf(grip);
      grip.style.left = `${at.x * wide}px`;
      grip.style.top = `${at.y * wide}px`;
      grip.hidden = false;
      const { low, high } = rules(field);
      grip.setAttribute("aria-valuemin", String(low));
      grip.setAttribute("aria-valuemax", String(high));
      grip.setAttribute("aria-valuenow", String(number(here.value)));
      grip.setAttribute("aria-valuetext", `${here.value} ${unit(field)}`);
      /** @type {Element} */ (grip.querySelector("b")).textContent = here.value;
      grip.classList.toggle("is-held", drag?.field === field);
      if (keyed === field && !drag) grip.focus({ preventScroll: true });
    }
  };

  const ask = () => {
    if (busy || !drag || drag.value === drag.sent) return;
    const sentence = form(),
      here = input(drag.field);
    if (!sentence || !here) return;
    drag.sent = drag.value;
    here.value = drag.value;
    const query = new URLSearchParams([...new FormData(sentence)].map(([name, value]) => [name, String(value)]));
    query.set("live", "1");
    busy = true;
    window.htmx
      ?.ajax("GET", `${sentence.getAttribute("action")}?${query}`, { target: "#plan", swap: "innerHTML" })
      .catch(() => {})
      .then(() => {
        busy = false;
        if (drag) ask();
        else if (ended) ended();
      });
  };

  /** @type {(() => void) | null} */
  let ended = null;
  /**
   * @param {string} field
   * @param {string} value
   */
  const enter = (field, value) => {
    const last = () => {
      ended = null;
      const here = input(field);
      if (!here) return;
      here.value = value;
      here.dispatchEvent(new Event("change", { bubbles: true }));
    };
    if (busy) ended = last;
    else last();
  };

  document.addEventListener("pointerdown", (e) => {
    const grip = gripOf(e);
    if (!grip || e.button > 0) return;
    e.preventDefault();
    const field = fieldOf(grip),
      of = spec();
    if (!of) return;
    const first = input(field)?.value ?? "";
    drag = {
      field,
      from: e.clientY,
      first,
      value: first,
      sent: first,
      start: number(first),
      worth: places(field, of).worth / widthOf(grip),
    };
    keyed = "";
    grip.focus({ preventScroll: true });
    place();
  });
  document.addEventListener("pointermove", (e) => {
    if (!drag) return;
    drag.value = within(drag.field, drag.start + (e.clientY - drag.from) * drag.worth);
    for (const grip of document.querySelectorAll(`[data-grip="${drag.field}"] b`)) grip.textContent = drag.value;
    ask();
  });
  /** @param {string | undefined} value */
  const stop = (value) => {
    if (!drag) return;
    const { field, first, sent } = drag;
    drag = null;
    if (value !== undefined && (value !== first || sent !== first)) enter(field, value);
    else place();
  };
  document.addEventListener("pointerup", () => stop(drag?.value));
  document.addEventListener("pointercancel", () => stop(drag?.first));
  document.addEventListener("keydown", (e) => {
    if (drag && e.key === "Escape") {
      stop(drag.first);
      return;
    }
    const grip = gripOf(e);
    if (!grip) return;
    const field = fieldOf(grip),
      { step } = rules(field);
    const by = STEPS.get(e.key);
    if (!by) return;
    e.preventDefault();
    e.stopPropagation();
    keyed = field;
    enter(field, within(field, told(field) + by * step));
  });
  document.addEventListener("focusin", (e) => {
    if (keyed && !gripOf(e) && e.target !== document.body) keyed = "";
  });
  document.addEventListener("htmx:afterSettle", place);
  window.addEventListener("resize", place);
  if (document.readyState === "loading") document.addEventListener("DOMContentLoaded", place);
  else place();
})();
