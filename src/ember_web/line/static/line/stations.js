// Which stations cook, and whose pieces come first.

/** @import { Cook } from "./types.d.ts" */

/**
 * The stations that cook, in the order of their first piece.
 * @param {Cook[]} cooks
 */
export const stationsOf = (cooks) => [...new Set(cooks.map((c) => c.station))];

/**
 * The pieces of a station first, the others after; within both in their order.
 * @param {Cook[]} cooks
 * @param {string} own
 */
export const ownFirst = (cooks, own) => [
  ...cooks.filter((c) => c.station === own),
  ...cooks.filter((c) => c.station !== own),
];
