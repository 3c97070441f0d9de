// Small things that several parts use.

/** @import { Cook } from "./types.d.ts" */

// crypto.randomUUID is there only where the page came safely (https, or this machine)
export const uuid = () => {
  if (crypto.randomUUID) return crypto.randomUUID();
  const bytes = crypto.getRandomValues(new Uint8Array(16));
  bytes[6] = (bytes[6] & 0x0f) | 0x40;
  bytes[8] = (bytes[8] & 0x3f) | 0x80;
  const hex = [...bytes].map((b) => b.toString(16).padStart(2, "0")).join("");
  return hex.replace(/^(.{8})(.{4})(.{4})(.{4})(.{12})$/, "$1-$2-$3-$4-$5");
};

/**
 * How many of what.
 * @param {Pick<Cook, "count" | "title">} cook
 */
export const pieces = (cook) => `${cook.count > 1 ? `${cook.count} × ` : ""}${cook.title}`;

/**
 * An element of the page that is there.
 * @param {string} id
 * @returns {HTMLElement}
 */
export const byId = (id) => {
  const found = document.getElementById(id);
  if (!found) throw new Error(`no #${id} on the page`);
  return found;
};
