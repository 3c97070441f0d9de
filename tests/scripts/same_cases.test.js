// What Python computes too, on the same cases.

import assert from "node:assert/strict";
import test from "node:test";
import cases from "../core/data/fold.json" with { type: "json" };
import spans from "../core/data/spans.json" with { type: "json" };
import "./page.js";

const { laid, planNow, planned } = await import("../../src/ember_web/line/static/line/fold.js");
const { span } = await import("../../src/ember_web/ui/static/ui/said.js");

for (const c of cases)
  test(`the board lays marks as the fold does: ${c.name}`, () => {
    const moves = c.moves.map((m, i) => {
      const done = c.state.done[i];
      return { ...m, due: 1000 * c.state.due[i], done: done === null ? null : 1000 * done };
    });
    const events = c.after.map((e, i) => ({ ...e, id: `e${i}`, cook: "c", occurred_at: 1000 * e.at }));
    const before = /** @type {any} */ ({ id: "c", moves, next: c.state.next, lastEvent: "" });
    const [found] = laid([before], events);
    const expect = /** @type {{ due: number[], done: (number | null)[], next: number | null, finished?: number }} */ (
      c.expect
    );
    assert.deepEqual(
      found.moves.map((m) => m.due / 1000),
      expect.due,
    );
    assert.deepEqual(
      found.moves.map((m) => (m.done === null ? null : m.done / 1000)),
      expect.done,
    );
    assert.equal(found.next, expect.next);
    assert.equal(found.finished === undefined ? undefined : (found.finished ?? 0) / 1000, expect.finished);
  });

// since the last move done; a late move holds it, after the last one it goes on to the end of its trace
const STANDS = /** @type {[(number | null)[], number, number, number][]} */ ([
  [[0, null, null], 60, 60, 7],
  [[0, null, null], 500, 120, 10],
  [[0, 130, null], 190, 180, 20],
  [[0, 130, 300], 900, 1020, 50],
  [[null, null, null], 900, 0, 4],
]);
for (const [done, now, at, core] of STANDS)
  test(`where the plan stands: ${done} at ${now} s`, () => {
    const moves = [0, 120, 420].map((offset, i) => ({
      id: `m${i}`,
      offset,
      due: 0,
      done: done[i] === null ? null : 1000 * Number(done[i]),
    }));
    const cook = /** @type {any} */ ({
      moves,
      trace: [
        [0, 4],
        [120, 10],
        [240, 30],
        [420, 50],
      ],
    });
    assert.equal(planNow(cook, 1000 * now), at);
    assert.ok(Math.abs(planned(cook, 1000 * now) - core) < 1e-9);
  });

for (const { s, clock } of spans)
  test(`a duration is written as the core writes it: ${s} s`, () => assert.equal(span(s), clock));
