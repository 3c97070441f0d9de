import { draw } from "../ui/chart.js";
import { core, degrees, t as said, span } from "../ui/said.js";

// Grain, cut view and trace share one cursor: mouse, touch, arrow keys. The address keeps it.
(() => {
  let data = null;
  const rgb = (hex) => [1, 3, 5].map((i) => parseInt(hex.slice(i, i + 2), 16));
  const colour = (c, ramp) => {
    const at = data.ramp_c;
    let i = 0;
    while (i < at.length - 2 && c > at[i + 1]) i++;
    const part = Math.min(Math.max((c - at[i]) / (at[i + 1] - at[i]), 0), 1);
    const a = rgb(ramp[i]),
      b = rgb(ramp[i + 1]);
    return `rgb(${a.map((v, k) => Math.round(v + part * (b[k] - v))).join(",")})`;
  };
  const text = (id, value) => {
    const el = document.getElementById(id);
    if (el) el.textContent = value;
  };
  const put = (t) => {
    const box = document.getElementById("instrument");
    t = Math.min(Math.max(t, 0), data.total);
    data.cursor = t;
    const position = (t / data.total) * (data.t.length - 1),
      i = Math.min(Math.floor(position), data.t.length - 2),
      f = position - i;
    const at = (row) => core(row[i] + f * (row[i + 1] - row[i]));
    const x = data.left + (t / data.total) * data.inner;
    for (const line of box.querySelectorAll(".cursor")) {
      line.setAttribute("x1", x);
      line.setAttribute("x2", x);
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
      el.setAttribute("fill", colour(layers[k], inside ? data.ramp_yolk : data.ramp));
    });
    const moment = document.getElementById("moment");
    moment.setAttribute("aria-valuenow", Math.round(t));
    moment.setAttribute(
      "aria-valuetext",
      said("{at}: core {core}", { at: span(t), core: `${at(data.core)} ${degrees}` }),
    );
  };
  // how far what is past the target will have come at the end: shown while one looks along the cook
  const outline = (t) => {
    const box = document.getElementById("outline");
    if (!box) return;
    box.replaceChildren();
    const last = data.layers[data.layers.length - 1];
    if (data.past === null || t >= data.total || !last) return;
    const n = last.length,
      calm = last.map((c, i) => (c < data.past ? i : -1)).filter((i) => i >= 0);
    if (!calm.length || calm.length === n) return;
    const add = (tag, values) => {
      const el = document.createElementNS("http://www.w3.org/2000/svg", tag);
      for (const [k, v] of Object.entries(values)) el.setAttribute(k, v);
      box.append(el);
    };
    const [first, end] = [calm[0], calm[calm.length - 1] + 1];
    if (data.round) add("circle", { cx: 84, cy: 74, r: 70 * (1 - (2 * first) / n) });
    else
      for (const i of [first, end])
        if (i > 0 && i < n) add("line", { x1: 10, x2: 158, y1: (148 * i) / n, y2: (148 * i) / n });
  };
  const keep = () => {
    const url = new URL(location.href);
    url.searchParams.set("at", Math.round(data.cursor));
    history.replaceState(history.state, "", url);
  };
  const begin = () => {
    const source = document.getElementById("instrument-data");
    data = source ? JSON.parse(source.textContent) : null;
    const trace = document.querySelector("svg.trace"),
      spec = document.getElementById("trace-data"),
      ribbon = document.getElementById("ribbon-data");
    if (trace && spec)
      draw(trace, { ...JSON.parse(spec.textContent), area: ribbon ? JSON.parse(ribbon.textContent) : null });
  };
  const from = (e) => {
    const svg = e.target.closest("svg.grain, svg.trace");
    if (!svg || !data) return null;
    const box = svg.getBoundingClientRect();
    return ((((e.clientX - box.left) / box.width) * svg.viewBox.baseVal.width - data.left) / data.inner) * data.total;
  };
  document.addEventListener("pointermove", (e) => {
    const t = from(e);
    if (t === null) {
      if (data) outline(data.total);
      return;
    }
    put(t);
    outline(t);
  });
  document.addEventListener("pointerdown", (e) => {
    const t = from(e);
    if (t !== null) {
      put(t);
      keep();
    }
  });
  document.addEventListener("click", (e) => {
    if (from(e) !== null) document.getElementById("moment").focus({ preventScroll: true });
  });
  document.addEventListener("keydown", (e) => {
    if (e.target.id !== "moment" || !data) return;
    const step = data.total / (e.shiftKey ? 20 : 140);
    const to = { ArrowLeft: data.cursor - step, ArrowRight: data.cursor + step, Home: 0, End: data.total }[e.key];
    if (to !== undefined) {
      e.preventDefault();
      put(to);
      outline(data.cursor);
      keep();
    }
  });
  document.addEventListener("htmx:afterSettle", begin);
  if (document.readyState === "loading") document.addEventListener("DOMContentLoaded", begin);
  else begin();
})();
