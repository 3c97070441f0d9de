// Sends the marks of this browser. They survive a lost connection, a reload and another tab, and arrive once: each has its own id.

import { t } from "../ui/said.js";
import { Store } from "./store.js";
import { uuid } from "./words.js";

/** @import { Mark, Refusal } from "./types.d.ts" */

const AT_ONCE = 50;
const TOO_LONG_MS = 20000;

/**
 * @typedef {object} QueueEvents
 * @property {(marks: Mark[]) => void} taken
 * @property {() => void} refused what is refused changed
 * @property {() => void} changed what waits changed
 * @property {() => void} unreachable
 * @property {() => void} signedOut
 * @property {() => void} forbidden
 */

/** @param {Response} reply */
const reason = async (reply) => {
  try {
    return (await reply.json()).error.message;
  } catch {
    return t("the server answered {status}", { status: reply.status });
  }
};

export class Queue {
  /**
   * @param {string} kitchen
   * @param {string} address where marks are taken
   * @param {() => string} csrf
   * @param {QueueEvents} on
   * @param {Store} [store]
   */
  constructor(kitchen, address, csrf, on, store) {
    this.address = address;
    this.csrf = csrf;
    this.on = on;
    this.store = store ?? new Store(kitchen, () => this.read());
    /** @type {Mark[]} */
    this.waiting = [];
    /** @type {(Mark & { landedAt: number })[]} */
    this.landed = []; // taken, and perhaps not in the state that is shown
    /** @type {Refusal[]} */
    this.refused = [];
    /** @type {Set<string>} */
    this.gone = new Set(); // taken, refused or dropped here: not read back
    /** @type {Set<string>} */
    this.made = new Set(); // in this tab, and not yet known to be on disk
    this.single = false; // one of them cannot be taken: they go one by one
    this.sending = false;
  }

  /** What is kept in the browser, of all tabs. */
  async read() {
    const [waiting, refused] = await Promise.all([this.store.waiting(), this.store.refused()]);
    const known = new Set(waiting.map((m) => m.id));
    const mine = this.waiting.filter((m) => !known.has(m.id) && this.made.has(m.id)); // not written yet
    this.waiting = [...waiting.filter((m) => !this.gone.has(m.id)), ...mine];
    this.refused = refused;
    this.on.refused();
    this.on.changed();
  }

  // what the state that is shown may not have yet; what was undone is not laid on it
  get unseen() {
    const all = [...this.landed, ...this.waiting];
    const undone = new Set(all.filter((m) => m.kind === "undo").map((m) => m.supersedes));
    return all.filter((m) => !undone.has(m.id));
  }

  // a state that was asked for at this moment holds what had landed before
  /** @param {number} askedAt */
  seen(askedAt) {
    this.landed = this.landed.filter((m) => m.landedAt > askedAt);
  }

  /** @param {Mark} mark */
  async put(mark) {
    this.waiting = [...this.waiting, mark];
    this.made.add(mark.id);
    this.on.changed();
    const written = this.store.put(mark).then(() => this.made.delete(mark.id));
    this.send();
    await written;
  }

  // takes back what has not been sent; false when it is too late for that
  /** @param {string} id */
  drop(id) {
    if (this.sending || !this.waiting.some((m) => m.id === id)) return false;
    this.leave([id]);
    return true;
  }

  /** @param {string[]} ids */
  leave(ids) {
    const out = new Set(ids);
    for (const id of ids) this.gone.add(id);
    this.waiting = this.waiting.filter((m) => !out.has(m.id));
    this.on.changed();
    return this.store.remove(ids);
  }

  /**
   * @param {Partial<Mark>} event
   * @param {string} why
   */
  refuse(event, why) {
    const refusal = { id: event.id ?? uuid(), event, why };
    this.refused = [...this.refused.filter((r) => r.id !== refusal.id), refusal];
    this.store.refuse(refusal);
    this.on.refused();
  }

  forgetRefused() {
    this.store.forget(this.refused.map((r) => r.id));
    this.refused = [];
    this.on.refused();
  }

  async send() {
    if (this.sending || !this.waiting.length) return;
    this.sending = true;
    const batch = this.waiting.slice(0, this.single ? 1 : AT_ONCE);
    try {
      const reply = await fetch(this.address, {
        method: "POST",
        headers: { "Content-Type": "application/json", "X-CSRFToken": this.csrf() },
        body: JSON.stringify({ events: batch }),
        signal: AbortSignal.timeout(TOO_LONG_MS),
      });
      if (reply.status === 401) this.on.signedOut();
      else if (reply.status === 403) this.on.forbidden();
      else if (reply.status >= 400 && reply.status < 500 && reply.status !== 429) await this.setAside(batch, reply);
      else if (!reply.ok) this.later(batch, reply.status);
      else await this.answered(batch, (await reply.json()).answers);
    } catch {
      this.on.unreachable();
    } finally {
      this.sending = false;
    }
  }

  // what is in it cannot be taken: the others go one by one, and this one is put aside
  /**
   * @param {Mark[]} batch
   * @param {Response} reply
   */
  async setAside(batch, reply) {
    if (this.single) {
      this.refuse(batch[0], await reason(reply));
      await this.leave([batch[0].id]);
    }
    this.single = true;
  }

  // nothing is lost; but one that the server stumbles over goes behind the others
  /**
   * @param {Mark[]} batch
   * @param {number} status
   */
  later(batch, status) {
    if (status >= 500 && this.waiting.length > 1) {
      this.single = true;
      const behind = new Set(batch);
      this.waiting = [...this.waiting.filter((m) => !behind.has(m)), ...batch];
    }
    this.on.unreachable();
  }

  /**
   * @param {Mark[]} batch
   * @param {{ id: string, status: string, message: string }[]} answers
   */
  async answered(batch, answers) {
    const no = new Map(answers.filter((a) => a.status === "refused").map((a) => [a.id, a.message]));
    const known = new Set(answers.map((a) => a.id));
    const taken = batch.filter((m) => known.has(m.id) && !no.has(m.id));
    this.single = false;
    this.landed.push(...taken.map((m) => ({ ...m, landedAt: performance.now() })));
    for (const mark of batch) {
      const message = no.get(mark.id);
      if (message !== undefined) this.refuse(mark, message);
    }
    await this.leave(batch.filter((m) => known.has(m.id)).map((m) => m.id));
    this.on.taken(taken);
  }
}
