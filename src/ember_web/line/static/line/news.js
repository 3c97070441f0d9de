// What is to be said of the line when it changes: once each, for who cannot look.

import { t } from "../ui/said.js";
import { nextOf } from "./fold.js";
import { TOGETHER_MS } from "./clash.js";
import { pieces } from "./words.js";

/** @import { Clock, Cook, Move } from "./types.d.ts" */

const SOON_MS = 60000;
const LATE_MS = 60000;
const MOVED_MS = 60000;

/**
 * How a move stands: nothing yet, soon, now, late.
 * @param {Move} move
 * @param {number} now
 */
export const stageOf = (move, now) => {
  const left = move.due - now;
  if (left > SOON_MS) return 0;
  if (left > 0) return 1;
  return left > -LATE_MS ? 2 : 3;
};

export class News {
  constructor() {
    /** @type {Map<string, { move: string, stage: number, due: number, asked: Set<string> }>} */
    this.known = new Map();
    this.first = true;
  }

  /**
   * Sentences for what is new since it was asked last. At the first time only what is due is said.
   * @param {Cook[]} cooks
   * @param {number} now
   * @param {Clock} clock
   * @returns {string[]}
   */
  of(cooks, now, clock) {
    const out = [];
    const soon = cooks.map(nextOf).filter((m) => m !== null && stageOf(m, now) === 1);
    const reach = Math.max(...soon.map((m) => m?.due ?? 0), 0) + TOGETHER_MS; // what comes with it is said with it
    for (const cook of cooks) {
      const move = nextOf(cook);
      const was = this.known.get(cook.id);
      const asked = new Set(
        [cook.medium?.ask, cook.second?.ask, cook.probeFault].filter((q) => typeof q === "string"),
      );
      for (const question of asked)
        if (!this.first && !was?.asked.has(question)) out.push(`${pieces(cook)}: ${question}`);
      if (!move) {
        this.known.set(cook.id, { move: "", stage: 0, due: 0, asked });
        continue;
      }
      const own = stageOf(move, now);
      const stage = own === 0 && soon.length && move.due <= reach ? 1 : own;
      const before = was?.move === move.id ? was : undefined;
      const said = before && stage <= before.stage ? before.stage : stage;
      const moved = before && Math.abs(move.due - before.due) >= MOVED_MS && own === 0;
      const words = { verb: move.verb, piece: pieces(cook), when: clock.at(move.due) };
      if (moved) out.push(t("{verb} moved to {when}: {piece}.", words));
      else if (stage > (before?.stage ?? 0))
        out.push(
          stage === 1
            ? t("{verb} within a minute: {piece}.", words)
            : stage === 2
              ? t("{verb} now: {piece}.", words)
              : t("{verb} is late: {piece}.", words),
        );
      this.known.set(cook.id, {
        move: move.id,
        stage: moved ? 0 : said,
        due: moved || !before ? move.due : before.due,
        asked,
      });
    }
    for (const id of this.known.keys()) if (!cooks.some((c) => c.id === id)) this.known.delete(id);
    this.first = false;
    return out;
  }
}

/**
 * The page's title: the next move, or that one is late.
 * @param {Cook[]} cooks
 * @param {number} now
 * @param {Clock} clock
 * @param {string} place
 */
export const titleOf = (cooks, now, clock, place) => {
  const coming = cooks
    .map((cook) => ({ cook, move: nextOf(cook) }))
    .filter((n) => n.move !== null)
    .sort((a, b) => (a.move?.due ?? 0) - (b.move?.due ?? 0));
  if (!coming.length || !coming[0].move) return place;
  const { cook, move } = coming[0];
  const words = { verb: move.verb, when: clock.at(move.due), piece: pieces(cook), place };
  return move.due < now
    ? t("Late: {verb} · {piece} · {place}", words)
    : t("{verb} {when} · {piece} · {place}", words);
};
