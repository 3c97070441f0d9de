// Marks that the server has not taken yet, kept in the browser: one store for all tabs, on disk before anything else happens.

import { openDB } from "../vendor/idb/idb.min.js";

/** @import { Database } from "../vendor/idb/idb.d.ts" */
/** @import { Mark, Refusal } from "./types.d.ts" */

const WAITING = "waiting";
const REFUSED = "refused";
const MOST_REFUSED = 20;

/** @param {Database} database */
const upgrade = (database) => {
  for (const name of [WAITING, REFUSED])
    database.createObjectStore(name, { keyPath: "id" }).createIndex("kitchen", "kitchen");
};

/**
 * Where a browser keeps nothing (a private window, a full disk) the copies in memory go on.
 * @template T
 * @param {() => Promise<T>} what
 * @param {T} otherwise
 */
const kept = async (what, otherwise) => {
  try {
    return await what();
  } catch {
    return otherwise;
  }
};

export class Store {
  /**
   * @param {string} kitchen
   * @param {() => void} changed another tab put something in, or took something out
   */
  constructor(kitchen, changed) {
    this.kitchen = kitchen;
    /** @type {Promise<Database> | null} */
    this.opening = null;
    this.channel = typeof BroadcastChannel === "undefined" ? null : new BroadcastChannel(`ember-marks-${kitchen}`);
    if (this.channel) this.channel.onmessage = changed;
  }

  open() {
    this.opening ??= openDB("ember-marks", 1, {
      upgrade,
      terminated: () => {
        this.opening = null;
      },
    });
    return this.opening;
  }

  /**
   * @template T
   * @param {string} name
   * @returns {Promise<T[]>}
   */
  async all(name) {
    return kept(async () => {
      const rows = await (await this.open()).getAllFromIndex(name, "kitchen", this.kitchen);
      return rows.map((row) => /** @type {{ value: T }} */ (row).value);
    }, []);
  }

  /**
   * @param {string} name
   * @param {{ id: string }[]} values
   * @param {string[]} gone
   */
  async change(name, values, gone = []) {
    await kept(async () => {
      const held = (await this.open()).transaction(name, "readwrite", { durability: "strict" });
      for (const value of values) held.store.put({ id: value.id, kitchen: this.kitchen, at: Date.now(), value });
      for (const id of gone) held.store.delete(id);
      await held.done;
    }, undefined);
    this.channel?.postMessage(name);
  }

  /** @returns {Promise<Mark[]>} in the order in which they were made */
  async waiting() {
    const found = /** @type {Mark[]} */ (await this.all(WAITING));
    return found.sort((a, b) => a.occurred_at - b.occurred_at);
  }

  /** @returns {Promise<Refusal[]>} */
  async refused() {
    return (await /** @type {Promise<Refusal[]>} */ (this.all(REFUSED))).slice(-MOST_REFUSED);
  }

  /** @param {Mark} mark */
  put(mark) {
    return this.change(WAITING, [mark]);
  }

  /** @param {string[]} ids */
  remove(ids) {
    return this.change(WAITING, [], ids);
  }

  /** @param {Refusal} refusal */
  refuse(refusal) {
    return this.change(REFUSED, [refusal]);
  }

  /** @param {string[]} ids */
  forget(ids) {
    return this.change(REFUSED, [], ids);
  }
}
