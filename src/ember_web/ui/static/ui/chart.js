// The one chart: temperatures over time. It draws what a document says in s and °C, in the reader's units.
import { area, axisBottom, axisLeft, line, scaleLinear, select } from "../vendor/d3/d3-chart.min.js";
import { inDegrees, span, units } from "./said.js";

/** @import { Scale, Selection } from "../vendor/d3/d3-chart.d.ts" */

/** @typedef {readonly number[]} Point of s and °C */

/**
 * What is drawn.
 * @typedef {object} Spec
 * @property {number[]} size width, height, and what is left free at the left, the right and the top
 * @property {boolean} [axes]
 * @property {number} x the last second
 * @property {number[]} y low and high
 * @property {{ as: string, at: readonly Point[] }[]} lines
 * @property {readonly Point[]} [area] of s, low and high
 * @property {readonly Point[]} [dots]
 * @property {readonly Point[]} [by_hand] rings
 * @property {number[]} [band] low and high
 * @property {number | null} [level]
 * @property {number[]} [moves] seconds; short, or right across
 * @property {boolean} [across]
 * @property {{ t: number, words: string }} [post]
 * @property {{ t0: number, t1: number, c0: number, c1: number, words: string }} [coast]
 */

const APART_S = [30, 60, 120, 300, 600, 900, 1800, 3600, 7200, 14400, 28800, 86400];
const MOST_TIMES = 9;
const FEW_TIMES = 4; // on a narrow screen
const NARROW = 450;

/**
 * @param {number} last
 * @param {number} most
 */
const times = (last, most) => {
  const apart = APART_S.find((s) => last / s <= most) || APART_S[APART_S.length - 1];
  return Array.from({ length: Math.floor(last / apart) + 1 }, (_, i) => i * apart);
};

/**
 * @param {number} low
 * @param {number} high
 * @param {boolean} narrow
 */
const degreesBetween = (low, high, narrow) => {
  const few = (units.temperature === "F" ? 20 : 10) * (narrow ? 2 : 1);
  const apart = high - low > 9 * few ? 2 * few : few;
  const first = Math.ceil(low / apart - 1e-9);
  return Array.from({ length: Math.floor(high / apart + 1e-9) - first + 1 }, (_, i) => (first + i) * apart);
};

/** @param {Pick<Spec, "size" | "x" | "y">} spec */
export const scales = (spec) => {
  const [width, height, left, right, top] = spec.size;
  const x = scaleLinear([0, spec.x], [left, width - right]);
  const degrees = scaleLinear(spec.y.map(inDegrees), [height, top]).clamp(true);
  return { x, y: (/** @type {number} */ c) => degrees(inDegrees(c)), degrees };
};

/**
 * @param {Selection} g
 * @param {Spec} spec
 * @param {{ x: Scale, degrees: Scale }} scale
 * @param {boolean} narrow
 */
const axes = (g, spec, { x, degrees }, narrow) => {
  const [width, height, left] = spec.size;
  const left_ = axisLeft(degrees)
    .tickValues(degreesBetween(...degrees.domain(), narrow))
    .tickSize(left - width)
    .tickPadding(6)
    .tickFormat((v) => `${v}`.replace("-", "−"));
  const below = axisBottom(x)
    .tickValues(times(spec.x, narrow ? FEW_TIMES : MOST_TIMES))
    .tickSize(0)
    .tickPadding(8)
    .tickFormat(span);
  g.append("g").attr("class", "chart-axis").attr("transform", `translate(${left},0)`).call(left_);
  const under = g.append("g").attr("class", "chart-axis").attr("transform", `translate(0,${height})`).call(below);
  const room = x.range()[1] - 12; // words in the middle of a mark past here would leave the picture
  under.selectAll(".tick text").attr("text-anchor", (/** @type {number} */ t) => (x(t) > room ? "end" : "middle"));
  for (const axis of g.selectAll(".chart-axis").nodes()) {
    axis.removeAttribute("font-size");
    axis.removeAttribute("font-family");
    select(axis).select(".domain").remove();
  }
};

/**
 * @param {Selection} g
 * @param {string} as
 * @param {number} x1
 * @param {number} y1
 * @param {number} x2
 * @param {number} y2
 */
const straight = (g, as, x1, y1, x2, y2) =>
  g.append("line").attr("class", as).attr("x1", x1).attr("y1", y1).attr("x2", x2).attr("y2", y2);

/**
 * @param {Selection} g
 * @param {string} as
 * @param {string} text
 * @param {number} x
 * @param {number} y
 * @param {number} dx
 * @param {number} dy
 */
const words = (g, as, text, x, y, dx, dy) =>
  g
    .append("text")
    .attr("class", as)
    .attr("x", x)
    .attr("y", y)
    .attr("dx", dx)
    .attr("dy", dy)
    .attr("text-anchor", "end")
    .text(text);

/**
 * Draws into an svg, before what stands in it already, such as a cursor.
 * @param {Element} svg
 * @param {Spec} spec
 */
export const draw = (svg, spec) => {
  const [width, height, left, right] = spec.size;
  const at = scales(spec);
  const { x, y } = at;
  for (const old of svg.querySelectorAll(":scope > .chart")) old.remove();
  const g = select(svg).insert("g", ":first-child").attr("class", "chart");
  const wide = svg.getBoundingClientRect().width;
  if (spec.axes !== false) axes(g, spec, at, wide > 0 && wide < NARROW);
  if (spec.band) {
    const [low, high] = spec.band.map(y);
    g.append("rect")
      .attr("class", "band")
      .attr("x", left)
      .attr("width", width - left - right)
      .attr("y", high)
      .attr("height", low - high);
  }
  if (spec.level !== null && spec.level !== undefined)
    straight(g, "target-line", left, y(spec.level), width, y(spec.level));
  if (spec.area) {
    const shape = area()
      .x((p) => x(p[0]))
      .y0((p) => y(p[1]))
      .y1((p) => y(p[2]));
    g.append("path").attr("class", "ribbon").attr("id", "ribbon").attr("d", shape(spec.area));
  }
  const curve = line()
    .x((p) => x(p[0]))
    .y((p) => y(p[1]));
  for (const { as, at: points } of spec.lines) g.append("path").attr("class", as).attr("d", curve(points));
  if (spec.coast) {
    const { t0, t1, c0, c1 } = spec.coast;
    straight(g, "coast", x(t0), y(c0), x(t1), y(c0));
    straight(g, "coast", x(t1), y(c0), x(t1), y(c1));
    words(g, "axis strong", spec.coast.words, x(t1), y(c0), -6, 16);
  }
  if (spec.post) {
    straight(g, "post", x(spec.post.t), 4, x(spec.post.t), height);
    words(g, "axis post-word", spec.post.words, x(spec.post.t), 14, -4, 0);
  }
  for (const t of spec.moves || []) straight(g, "move-at", x(t), spec.across ? 0 : height, x(t), height + 6);
  for (const [t, c] of spec.dots || [])
    g.append("circle").attr("class", "dot").attr("cx", x(t)).attr("cy", y(c)).attr("r", 2.2);
  for (const [t, c] of spec.by_hand || [])
    g.append("circle").attr("class", "by-hand").attr("cx", x(t)).attr("cy", y(c)).attr("r", 6);
};

/**
 * Every chart of a page that names its document.
 * @param {ParentNode} root
 */
export const drawAll = (root = document) => {
  for (const svg of /** @type {NodeListOf<SVGElement>} */ (root.querySelectorAll("svg[data-chart]"))) {
    const source = document.getElementById(svg.dataset.chart ?? "");
    if (source) draw(svg, JSON.parse(source.textContent ?? ""));
  }
};
