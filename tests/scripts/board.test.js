// What the board computes by itself.

import assert from "node:assert/strict";
import test from "node:test";
import { clock, cook, move } from "./page.js";

const { merged, unseen } = await import("../../src/ember_web/line/static/line/state.js");
const { lastAt, readTime } = await import("../../src/ember_web/line/static/line/moment.js");
const { clashes, riseOf } = await import("../../src/ember_web/line/static/line/clash.js");
const { News, titleOf } = await import("../../src/ember_web/line/static/line/news.js");
const { gainOf, toneOf } = await import("../../src/ember_web/line/static/line/alarm.js");
const { ownFirst } = await import("../../src/ember_web/line/static/line/stations.js");

const MIN = 60000;
const told = (/** @type {object} */ more) =>
  /** @type {any} */ ({ now: 0, rate: 1, zone: "UTC", rev: "a.1", ids: ["c"], cooks: [], ...more });

test("a change is laid on what is there; readings are added, gone pieces left out, new ones put in their place", () => {
  const one = cook({ readings: [[1, 5]], count: 2 });
  const state = merged(null, told({ cooks: [one] }));
  const after = merged(
    state,
    told({
      whole: false,
      rev: "a.2",
      ids: ["d", "c"],
      cooks: [{ id: "c", next: 0, readingsAdded: [[2, 6]] }, cook({ id: "d" })],
    }),
  );
  assert.deepEqual(
    after.cooks.map((c) => c.id),
    ["d", "c"],
  );
  assert.deepEqual(after.cooks[1].readings, [
    [1, 5],
    [2, 6],
  ]);
  assert.equal(after.cooks[1].next, 0);
  assert.equal(after.cooks[1].count, 2);
  assert.deepEqual(one.readings, [[1, 5]]);
  assert.deepEqual(merged(after, told({ whole: false, ids: [] })).cooks, []);
  assert.equal(merged(after, told({ cooks: [one] })).cooks[0].next, 1);
});

test("a mark is laid on until the state holds it", () => {
  const marks = /** @type {any[]} */ ([{ id: "x" }, { id: "y" }]);
  assert.deepEqual(unseen(told({ cooks: [cook({ marks: ["x"] })] }), marks), [{ id: "y" }]);
});

const TIMES = /** @type {[string, number | null][]} */ ([
  ["19:40", 1180],
  ["1940", 1180],
  ["7.40", 460],
  ["7:40 pm", 1180],
  ["12:05 am", 5],
  ["12 pm", 720],
  ["7pm", 1140],
  ["0:00", 0],
  ["24:00", null],
  ["7:60", null],
  ["13 pm", null],
  ["7", null],
  ["noon", null],
  ["", null],
]);
for (const [text, minutes] of TIMES)
  test(`a time of day as written: "${text}"`, () => assert.equal(readTime(text), minutes));

test("a time is the last one it was on the kitchen's clock, none of the coming, none of long ago", () => {
  const now = Date.UTC(2026, 11, 2, 0, 10, 30); // 01:10:30 in Berlin
  const at = (/** @type {string} */ text) => {
    const found = lastAt(text, now, "Europe/Berlin");
    return found === null ? null : new Date(found).toISOString();
  };
  assert.equal(at("01:10"), new Date(now).toISOString());
  assert.equal(at("01:04"), "2026-12-02T00:04:00.000Z");
  assert.equal(at("23:58"), "2026-12-01T22:58:00.000Z");
  for (const wrong of ["01:11", "12:00", "soon"]) assert.equal(at(wrong), null);
});

test("of moves at one moment that goes first whose core gains most by waiting", () => {
  const slow = cook({
    id: "s",
    trace: [
      [0, 4],
      [600, 24],
    ],
    moves: [move("m0", "start", 0, 0), move("m1", "pull", 430, null)],
  });
  const fast = cook({ id: "f" });
  const turn = cook({ id: "t", moves: [move("m0", "start", 0, 0), move("m1", "turn", 415, null)] });
  const elsewhere = cook({ id: "e", station: "Oven" });
  const far = cook({ id: "x", moves: [move("m0", "start", 0, 0), move("m1", "pull", 452, null)] });
  const found = clashes([slow, turn, elsewhere, fast, far], 200 * 1000);
  assert.deepEqual(
    found.map((g) => g.map((w) => w.cook.id)),
    [["f", "s", "t"]],
  );
  assert.ok(Math.abs(found[0][0].rise - 20 / 6) < 1e-9); // 20 K in the 180 s before it
  assert.ok(Math.abs(found[0][1].rise - 1) < 1e-9);
  assert.equal(riseOf(turn, turn.moves[1]), 0);
  assert.deepEqual(clashes([fast, slow], 100 * 1000), []); // more than five minutes ahead
  const late = cook({ id: "l", moves: [move("m0", "start", 0, 0), move("m1", "turn", 100, null)] });
  assert.deepEqual(
    clashes([late, fast], 425 * 1000).map((g) => g.map((w) => w.cook.id)),
    [["f", "l"]],
  );
  assert.deepEqual(clashes([fast], 415 * 1000), []);
});

test("each stage of a move is said once; what comes with it is said with it", () => {
  const news = new News();
  const one = cook({});
  const other = cook({
    id: "o",
    title: "Hake",
    station: "Oven",
    moves: [move("m0", "start", 0, 0), move("m1", "turn", 445, null)],
  });
  const at = (/** @type {number} */ s, cooks = [one, other]) => news.of(cooks, 1000 * s, clock);
  assert.deepEqual(at(300), []);
  assert.deepEqual(at(365), ["Pull within a minute: Bavette.", "Turn within a minute: Hake."]);
  assert.deepEqual(at(366), []);
  assert.deepEqual(at(421), ["Pull now: Bavette."]);
  assert.deepEqual(at(446), ["Turn now: Hake."]);
  assert.deepEqual(at(482), ["Pull is late: Bavette."]);
  const asks = cook({ probeFault: "Is the probe still in it?" });
  assert.deepEqual(at(483, [asks, other]), ["Bavette: Is the probe still in it?"]);
  assert.deepEqual(at(484, [asks, other]), []);
});

test("a pull that moved by a minute is said, one that wanders is not", () => {
  const news = new News();
  const due = (/** @type {number} */ s) =>
    cook({ moves: [move("m0", "start", 0, 0), { ...move("m1", "pull", 420, null), due: 1000 * s }] });
  const at = (/** @type {number} */ s) => news.of([due(s)], 1000 * 100, clock);
  assert.deepEqual([420, 440, 460, 481, 490, 420].flatMap(at), [
    "Pull moved to 00:08: Bavette.",
    "Pull moved to 00:07: Bavette.",
  ]);
});

test("the title is the next move, or that it is late", () => {
  assert.equal(titleOf([cook({})], 0, clock, "Line"), "Pull 00:07 · Bavette · Line");
  assert.equal(titleOf([cook({ next: null }), cook({})], 9 * MIN, clock, "Line"), "Late: Pull · Bavette · Line");
  assert.equal(titleOf([], 0, clock, "Line"), "Line");
});

test("an alarm grows until it is as loud as it can; stations do not sound alike", () => {
  const gains = [-5, 0, 30, 60, 90, 600].map(gainOf);
  assert.deepEqual(
    gains,
    [...gains].sort((a, b) => a - b),
  );
  assert.deepEqual([gains[0], gains.at(-1)], [0.08, 0.5]);
  const all = ["Bath", "Fry", "Grill", "Oven", "Pass", "Wok"];
  assert.equal(new Set(all.map((s) => toneOf(s, all))).size, all.length);
});

test("one's own station comes first, the order stays", () => {
  const cooks = [
    cook({ id: "a", station: "Bath" }),
    cook({ id: "b" }),
    cook({ id: "c", station: "Bath" }),
    cook({ id: "d" }),
  ];
  assert.deepEqual(
    ownFirst(cooks, "Grill").map((c) => c.id),
    ["b", "d", "a", "c"],
  );
  assert.deepEqual(
    ownFirst(cooks, "").map((c) => c.id),
    ["a", "b", "c", "d"],
  );
});
