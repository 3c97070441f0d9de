// The state document in the browser: the whole of it once, then what changed. Nothing of the page is touched here.

/** @import { Change, Cook, Mark, State, Told } from "./types.d.ts" */

/**
 * What a board has, after what it is told.
 * @param {State | null} state
 * @param {Told} told
 * @returns {State}
 */
export const merged = (state, told) => {
  if (told.whole !== false || state === null) return /** @type {State} */ (told);
  const known = new Map(state.cooks.map((c) => [c.id, c]));
  for (const change of told.cooks) known.set(change.id, changed(known.get(change.id), change));
  const { now, rate, zone, rev, ids } = told;
  const cooks = ids.map((id) => known.get(id)).filter((c) => c !== undefined);
  return { now, rate, zone, rev, ids, cooks };
};

/**
 * @param {Cook | undefined} cook
 * @param {Change} change
 * @returns {Cook}
 */
const changed = (cook, change) => {
  const { readingsAdded, ...rest } = change;
  const out = /** @type {Cook} */ ({ ...cook, ...rest });
  if (readingsAdded) out.readings = [...(cook?.readings ?? []), ...readingsAdded];
  return out;
};

/**
 * Of the marks made in this browser, those that the state does not hold yet.
 * @param {State} state
 * @param {Mark[]} marks
 */
export const unseen = (state, marks) => {
  const seen = new Set(state.cooks.flatMap((c) => c.marks));
  return marks.filter((m) => !seen.has(m.id));
};
