// What events amount to. The server folds all of a cook's events; a board lays on that what it has marked itself and the
// server has not heard of yet. Both are tried on the same cases (tests/core/data/fold.json).

/** @import { Cook, Mark } from "./types.d.ts" */

/**
 * The next move, if there is one.
 * @param {Pick<Cook, "next" | "moves">} cook
 */
export const nextOf = (cook) => (cook.next === null ? null : cook.moves[cook.next]);

/**
 * The cooks that are on the line after more events, in their order.
 * @param {Cook[]} cooks
 * @param {Mark[]} events
 */
export const laid = (cooks, events) => {
  if (!events.length) return cooks;
  const out = structuredClone(cooks);
  for (const event of events) {
    const cook = out.find((c) => c.id === event.cook);
    if (!cook) continue;
    const move = cook.moves.find((m) => m.id === event.move);
    if (event.kind === "move" && move && move.done === null) {
      const shift = event.occurred_at - move.due;
      move.done = event.occurred_at;
      for (const m of cook.moves) if (m.done === null) m.due += shift;
      move.due = move.done;
      cook.lastEvent = event.id;
    } else if (event.kind === "extend") {
      for (const m of cook.moves) if (m.done === null) m.due += 1000 * (event.seconds ?? 0);
      cook.lastEvent = event.id;
    } else if (event.kind === "finish") cook.finished = event.occurred_at;
    const next = cook.moves.findIndex((m) => m.done === null);
    cook.next = next < 0 ? null : next;
  }
  return out;
};

/**
 * Where the plan stands, s from its start: since the last move done; a late move holds it where it is.
 * @param {Pick<Cook, "moves">} cook
 * @param {number} now
 */
export const planNow = (cook, now) => {
  const done = cook.moves.filter((m) => m.done !== null);
  if (!done.length) return 0;
  const last = done.reduce((a, b) => (b.offset >= a.offset ? b : a));
  const next = cook.moves.find((m) => m.done === null);
  const gone = Math.max((now - (last.done ?? now)) / 1000, 0);
  return last.offset + (next ? Math.min(gone, next.offset - last.offset) : gone);
};

/**
 * The planned core at a second of the plan, °C.
 * @param {Pick<Cook, "trace">} cook
 * @param {number} t
 */
export const traceAt = (cook, t) => {
  const i = cook.trace.findIndex((p) => p[0] >= t);
  if (i <= 0) return (i < 0 ? cook.trace[cook.trace.length - 1] : cook.trace[0])[1];
  const [a, b] = [cook.trace[i - 1], cook.trace[i]];
  return b[0] > a[0] ? a[1] + ((b[1] - a[1]) * (t - a[0])) / (b[0] - a[0]) : b[1];
};

/**
 * The planned core where the plan stands, °C.
 * @param {Pick<Cook, "moves" | "trace">} cook
 * @param {number} now
 */
export const planned = (cook, now) => traceAt(cook, planNow(cook, now));
