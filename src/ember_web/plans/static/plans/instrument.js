import { draw } from "../ui/chart.js";
import { core, degrees, t as said, span } from "../ui/said.js";

// Grain, cut view and trace share one cursor: mouse, touch, arrow keys. The address keeps it.
(() => {
  /**
   * What the page says of a cook: courses by their samples over ``total`` s, colours by depth, and where the drawing lies.
   * @typedef {object} Instrument
   * @property {number[]} t
   * @property {number[]} core
   * @property {number[]} mean
   * @property {number[]} surface
   * @property {number[][]} layers by sample
   * @property {number[]} ramp_c
   * @property {string[]} ramp
   * @property {string[]} ramp_yolk
   * @property {number} [yolk]
   * @property {boolean} [round]
   * @property {number | null} past
   * @property {number} total
   * @property {number} left
   * @property {number} inner
   * @property {number} cursor
   */
  /** @type {Instrument | null} */
  let shown = null;
  /** @param {string} hex */
  const rgb = (hex) => [1, 3, 5].map((i) => parseInt(hex.slice(i, i + 2), 16));
  /**
   * @param {number} c
   * @param {string[]} ramp
   * @param {number[]} at
   */
  const colour = (c, ramp, at) => {
    let i = 0;
    while (i < at.length - 2 && c > at[i + 1]) i++;
    const part = Math.min(Math.max((c - at[i]) / (at[i + 1] - at[i]), 0), 1);
    const a = rgb(ramp[i]),
      b = rgb(ramp[i + 1]);
    return `rgb(${a.map((v, k) => Math.round(v + part * (b[k] - v))).join(",")})`;
  };
  /**
   * @param {string} id
   * @param {string} value
   */
  const text = (id, value) => {
    const el = document.getElementById(id);
    if (el) el.textContent = value;
  };
  /**
   * @param {Instrument} data
   * @param {number} to s
   */
  const put = (data, to) => {
    const box = /** @type {HTMLElement} */ (document.getElementById("instrument"));
    const t = Math.min(Math.max(to, 0), data.total);
    data.cursor = t;
    const position = (t / data.total) * (data.t.length - 1),
      i = Math.min(Math.floor(position), data.t.length - 2),
      f = position - i;
    const at = (/** @type {number[]} */ row) => core(row[i] + f * (row[i + 1] - row[i]));
    const x = data.left + (t / data.total) * data.inner;
    for (const line of box.querySelectorAll(".cursor")) {
      line.setAttribute("x1", String(x));
      line.setAttribute("x2", String(x));
    }
    text("r-core", at(data.core));
    text("r-mean", at(data.mean));
    text("r-surface", at(data.surface));
    text("r-time", span(t));
    text("cut-time", span(t));
    const shapes = box.querySelectorAll("#cut > *"),
      layers = data.layers[Math.round(position)];
    shapes.forEach((el, k) => {
      const inside = data.yolk && 1 - k / shapes.length <= data.yolk;
      el.setAttribute("fill", colour(layers[k], inside ? data.ramp_yolk : data.ramp, data.ramp_c));
    });
    const moment = /** @type {HTMLElement} */ (document.getElementById("moment"));
    moment.setAttribute("aria-valuenow", String(Math.round(t)));
    moment.setAttribute(
      "aria-valuetext",
      said("{at}: core {core}", { at: span(t), core: `${at(data.core)} ${degrees}` }),
    );
  };
  // how far what is past the target will have come at the end: shown while one looks along the cook
  /**
   * @param {Instrument} data
   * @param {number} t s
   */
  const outline = (data, t) => {
    const box = document.getElementById("outline");
    if (!box) return;
    box.replaceChildren();
    const last = data.layers[data.layers.length - 1];
    if (data.past === null || t >= data.total || !last) return;
    const past = data.past,
      n = last.length,
      calm = last.map((c, i) => (c < past ? i : -1)).filter((i) => i >= 0);
    if (!calm.length || calm.length === n) return;
    /**
     * @param {string} tag
     * @param {Record<string, number>} values
     */
    const add = (tag, values) => {
      const el = document.createElementNS("http://www.w3.org/2000/svg", tag);
      for (const [k, v] of Object.entries(values)) el.setAttribute(k, String(v));
      box.append(el);
    };
    const [first, end] = [calm[0], calm[calm.length - 1] + 1];
    if (data.round) add("circle", { cx: 84, cy: 74, r: 70 * (1 - (2 * first) / n) });
    else
      for (const i of [first, end])
        if (i > 0 && i < n) add("line", { x1: 10, x2: 158, y1: (148 * i) / n, y2: (148 * i) / n });
  };
  /** @param {Instrument} data */
  const keep = (data) => {
    const url = new URL(location.href);
    url.searchParams.set("at", String(Math.round(data.cursor)));
    history.replaceState(history.state, "", url);
  };
  const begin = () => {
    const source = document.getElementById("instrument-data");
    shown = source ? JSON.parse(source.textContent ?? "") : null;
    const trace = /** @type {SVGElement | null} */ (document.querySelector("svg.trace")),
      spec = document.getElementById("trace-data"),
      ribbon = document.getElementById("ribbon-data");
    if (trace && spec)
      draw(trace, {
        ...JSON.parse(spec.textContent ?? ""),
        area: ribbon ? JSON.parse(ribbon.textContent ?? "") : null,
      });
  };
  /**
   * Where along the cook it is, s; null outside.
   * @param {MouseEvent} e
   * @param {Instrument | null} data
   */
  const from = (e, data) => {
    const svg = /** @type {SVGSVGElement | null} */ (
      /** @type {Element} */ (e.target).closest("svg.grain, svg.trace")
    );
    if (!svg || !data) return null;
    const box = svg.getBoundingClientRect();
    return ((((e.clientX - box.left) / box.width) * svg.viewBox.baseVal.width - data.left) / data.inner) * data.total;
  };
  document.addEventListener("pointermove", (e) => {
    const t = from(e, shown);
    if (!shown) return;
    if (t !== null) put(shown, t);
    outline(shown, t ?? shown.total);
  });
  document.addEventListener("pointerdown", (e) => {
    const t = from(e, shown);
    if (t !== null && shown) {
      put(shown, t);
      keep(shown);
    }
  });
  document.addEventListener("click", (e) => {
    if (from(e, shown) !== null) document.getElementById("moment")?.focus({ preventScroll: true });
  });
  document.addEventListener("keydown", (e) => {
    const data = shown;
    if (/** @type {Element} */ (e.target).id !== "moment" || !data) return;
    const step = data.total / (e.shiftKey ? 20 : 140);
    const to = new Map([
      ["ArrowLeft", data.cursor - step],
      ["ArrowRight", data.cursor + step],
      ["Home", 0],
      ["End", data.total],
    ]).get(e.key);
    if (to !== undefined) {
      e.preventDefault();
      put(data, to);
      outline(data, data.cursor);
      keep(data);
    }
  });
  document.addEventListener("htmx:afterSettle", begin);
  if (document.readyState === "loading") document.addEventListener("DOMContentLoaded", begin);
  else begin();
})();
