import { scales } from "../ui/chart.js";
import { form, input, number, rules, unit, within } from "./quantities.js";

// What if, on the picture: a grip each for size, start, heat and target. While it is dragged the plan is asked anew as fast as it
// answers; the last value is entered in the sentence like one that was typed.
(() => {
  const GRAIN = { width: 664, high: 148, box: 166, left: 44 };
  const BOX = 206; // of the trace
  let drag = null;
  let busy = false;
  let keyed = "";

  const spec = () => {
    const source = document.getElementById("trace-data");
    return source ? JSON.parse(source.textContent) : null;
  };

  // where a grip stands, in parts of its picture, and how much one unit of the picture is worth
  const places = (field, of) => {
    const value = number(input(field).value),
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
    for (const grip of document.querySelectorAll(".grip")) {
      const field = grip.dataset.grip,
        here = input(field);
      if (!of || !here || here.type === "hidden" || !Number.isFinite(number(here.value))) {
        grip.hidden = true;
        continue;
      }
      const at = places(field, of),
        svg = grip.parentElement.querySelector("svg");
      const wide = svg.getBoundingClientRect().width / GRAIN.width;
      grip.style.left = `${at.x * wide}px`;
      grip.style.top = `${at.y * wide}px`;
      grip.hidden = false;
      const { low, high } = rules(field);
      grip.setAttribute("aria-valuemin", low);
      grip.setAttribute("aria-valuemax", high);
      grip.setAttribute("aria-valuenow", number(here.value));
      grip.setAttribute("aria-valuetext", `${here.value} ${unit(field)}`);
      grip.querySelector("b").textContent = here.value;
      grip.classList.toggle("is-held", drag?.field === field);
      if (keyed === field && !drag) grip.focus({ preventScroll: true });
    }
  };

  const ask = () => {
    if (busy || !drag || drag.value === drag.sent) return;
    const sentence = form();
    drag.sent = drag.value;
    sentence.elements[drag.field].value = drag.value;
    const query = new URLSearchParams(new FormData(sentence));
    query.set("live", "1");
    busy = true;
    window.htmx
      .ajax("GET", `${sentence.getAttribute("action")}?${query}`, { target: "#plan", swap: "innerHTML" })
      .catch(() => {})
      .then(() => {
        busy = false;
        if (drag) ask();
        else if (ended) ended();
      });
  };

  let ended = null;
  const enter = (field, value) => {
    const last = () => {
      ended = null;
      const here = input(field);
      here.value = value;
      here.dispatchEvent(new Event("change", { bubbles: true }));
    };
    if (busy) ended = last;
    else last();
  };

  document.addEventListener("pointerdown", (e) => {
    const grip = e.target.closest(".grip");
    if (!grip || e.button > 0) return;
    e.preventDefault();
    const field = grip.dataset.grip,
      of = spec();
    if (!of) return;
    const wide = grip.parentElement.querySelector("svg").getBoundingClientRect().width / GRAIN.width;
    const first = input(field).value;
    drag = {
      field,
      from: e.clientY,
      first,
      value: first,
      sent: first,
      start: number(first),
      worth: places(field, of).worth / wide,
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
  const stop = (value) => {
    if (!drag) return;
    const { field, first, sent } = drag;
    drag = null;
    if (value !== first || sent !== first) enter(field, value);
    else place();
  };
  document.addEventListener("pointerup", () => stop(drag?.value));
  document.addEventListener("pointercancel", () => stop(drag?.first));
  document.addEventListener("keydown", (e) => {
    if (drag && e.key === "Escape") {
      stop(drag.first);
      return;
    }
    const grip = e.target.closest?.(".grip");
    if (!grip) return;
    const field = grip.dataset.grip,
      { step } = rules(field);
    const by = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1, PageUp: 5, PageDown: -5 }[e.key];
    if (!by) return;
    e.preventDefault();
    e.stopPropagation();
    keyed = field;
    enter(field, within(field, number(input(field).value) + by * step));
  });
  document.addEventListener("focusin", (e) => {
    if (keyed && !e.target.closest?.(".grip") && e.target !== document.body) keyed = "";
  });
  document.addEventListener("htmx:afterSettle", place);
  window.addEventListener("resize", place);
  if (document.readyState === "loading") document.addEventListener("DOMContentLoaded", place);
  else place();
})();
