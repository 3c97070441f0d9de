// Marks that the server has not taken yet. They survive a lost connection and a reload, and arrive once: each has its own id.

import { t } from "../ui/said.js";

const AT_ONCE = 50;
const MOST_REFUSED = 20;

const read = (key) => {
  try {
    return JSON.parse(localStorage.getItem(key) || "[]");
  } catch {
    return [];
  }
};

const write = (key, value) => {
  try {
    localStorage.setItem(key, JSON.stringify(value));
  } catch {
    /* full or private: the copy in memory goes on */
  }
};

const reason = async (reply) => {
  try {
    return (await reply.json()).error.message;
  } catch {
    return t("the server answered {status}", { status: reply.status });
  }
};

export class Queue {
  // address: where events are taken; csrf: a function; on: what is told of how sending went
  constructor(kitchen, address, csrf, on) {
    this.key = `ember-queue-${kitchen}`;
    this.address = address;
    this.csrf = csrf;
    this.on = on;
    this.waiting = read(this.key);
    this.landed = []; // taken, and perhaps not in the state that is shown
    this.refused = read(`${this.key}-refused`).filter((r) => r.event);
    this.single = false; // one of them cannot be taken: they go one by one
    this.sending = false;
  }

  // what the state that is shown may not have yet
  get unseen() {
    return [...this.landed, ...this.waiting];
  }

  // a state that was asked for at this moment holds what had landed before
  seen(askedAt) {
    this.landed = this.landed.filter((e) => e.landedAt > askedAt);
  }

  put(event) {
    this.#keep([...this.waiting, event]);
    this.send();
  }

  // takes back what has not been sent; false when it is too late for that
  drop(id) {
    if (this.sending || !this.waiting.some((e) => e.id === id)) return false;
    this.#keep(this.waiting.filter((e) => e.id !== id));
    return true;
  }

  refuse(event, why) {
    this.refused = [...this.refused, { id: event.id || "", event, why }].slice(-MOST_REFUSED);
    write(`${this.key}-refused`, this.refused);
    this.on.refused();
  }

  forgetRefused() {
    this.refused = [];
    write(`${this.key}-refused`, []);
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
      });
      if (reply.status === 401) this.on.signedOut();
      else if (reply.status === 403) this.on.forbidden();
      else if (reply.status >= 400 && reply.status < 500 && reply.status !== 429) await this.#setAside(batch, reply);
      else if (!reply.ok) this.#later(batch, reply.status);
      else this.#answered(batch, (await reply.json()).answers);
    } catch {
      this.on.unreachable();
    } finally {
      this.sending = false;
    }
  }

  #keep(waiting) {
    write(this.key, waiting);
    this.waiting = waiting;
  }

  #without(batch) {
    const ids = new Set(batch.map((e) => e.id));
    return this.waiting.filter((e) => !ids.has(e.id));
  }

  // what is in it cannot be taken: the others go one by one, and this one is put aside
  async #setAside(batch, reply) {
    if (this.single) {
      const why = await reason(reply);
      this.#keep(this.#without(batch));
      this.refuse(batch[0], why);
    }
    this.single = true;
  }

  // nothing is lost; but one that the server stumbles over goes behind the others
  #later(batch, status) {
    if (status >= 500 && this.waiting.length > 1) {
      this.single = true;
      this.#keep([...this.#without(batch), ...batch]);
    }
    this.on.unreachable();
  }

  #answered(batch, answers) {
    const no = new Map(answers.filter((a) => a.status === "refused").map((a) => [a.id, a.message]));
    const known = new Set(answers.map((a) => a.id));
    const taken = batch.filter((e) => known.has(e.id) && !no.has(e.id));
    this.single = false;
    this.landed.push(...taken.map((e) => ({ ...e, landedAt: performance.now() })));
    this.#keep(this.#without(batch));
    for (const [id, message] of no) this.refuse(batch.find((e) => e.id === id) || {}, message);
    this.on.taken(taken);
  }
}
