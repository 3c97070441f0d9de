// Moves that want the same hands at the same moment: which goes first, and what the others lose by waiting.

import { nextOf, traceAt } from "./fold.js";

/** @import { Cook, Move } from "./types.d.ts" */

export const TOGETHER_MS = 30000;
const AHEAD_MS = 300000;
const WAIT_S = 30; // what one waits while the other is done

/**
 * @typedef {object} Wanted
 * @property {Cook} cook
 * @property {Move} move
 * @property {number} rise K that its core gains while it waits; 0 where the move does not end its heating
 */

/**
 * What a piece's core gains at the heat it is in when its move waits, K: by the slope of its planned course before the move.
 * @param {Cook} cook
 * @param {Move} move
 */
export const riseOf = (cook, move) => {
  if (move.kind !== "pull" || !cook.trace.length) return 0;
  const from = Math.max(move.offset - WAIT_S, 0);
  return move.offset > from
    ? ((traceAt(cook, move.offset) - traceAt(cook, from)) / (move.offset - from)) * WAIT_S
    : 0;
};

/**
 * Groups of moves at one station within half a minute of each other, in the next five minutes or late; each in the order in
 * which to do them: what gains most by waiting goes first, then by time.
 * @param {Cook[]} cooks
 * @param {number} now
 * @returns {Wanted[][]}
 */
export const clashes = (cooks, now) => {
  /** @type {Map<string, { cook: Cook, move: Move }[]>} */
  const stations = new Map();
  for (const cook of cooks) {
    const move = nextOf(cook);
    if (!move || cook.finished || move.due - now > AHEAD_MS) continue;
    stations.set(cook.station, [...(stations.get(cook.station) ?? []), { cook, move }]);
  }
  const out = [];
  for (const all of stations.values()) {
    const late = (/** @type {Move} */ m) => Math.max(m.due, now); // all that are late are due now
    all.sort((a, b) => late(a.move) - late(b.move));
    for (let i = 0; i < all.length; ) {
      const group = all.filter((w, j) => j >= i && late(w.move) - late(all[i].move) <= TOGETHER_MS);
      if (group.length > 1)
        out.push(
          group
            .map((w) => ({ ...w, rise: riseOf(w.cook, w.move) }))
            .sort((a, b) => b.rise - a.rise || a.move.due - b.move.due),
        );
      i += group.length;
    }
  }
  return out;
};
