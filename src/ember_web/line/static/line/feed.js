// The state of the line as the server has it: the whole once, then what its stream says has changed.

import { merged } from "./state.js";

/** @import { State, Told } from "./types.d.ts" */

const AGAIN_MS = 30000; // turned away by the stream: it is tried again
const ASK_MS = 5000; // meanwhile it is asked
const LOST_MS = 2000;

/**
 * @typedef {object} FeedEvents
 * @property {(state: State) => void} state
 * @property {(yes: boolean) => void} connected
 * @property {() => void} signedOut
 * @property {(askedAt: number) => void} [asked] a state that was asked for then is there
 */

export class Feed {
  /**
   * @param {State} state what the page came with
   * @param {{ state: string, stream: string }} address
   * @param {FeedEvents} on
   */
  constructor(state, address, on) {
    this.state = state;
    this.address = address;
    this.on = on;
    this.base = state.now;
    this.began = performance.now();
    this.online = true;
    this.signedOut = false;
    this.asking = false;
    this.again = false;
    /** @type {EventSource | null} */
    this.stream = null;
  }

  // the kitchen's clock, ms since 1970
  now() {
    return this.base + (performance.now() - this.began) * this.state.rate;
  }

  /** @param {string} where */
  since(where) {
    return `${where}?since=${encodeURIComponent(this.state.rev ?? "")}`;
  }

  /** @param {Told} told */
  take(told) {
    this.state = merged(this.state, told);
    this.base = this.state.now;
    this.began = performance.now();
    this.signedOut = false;
    this.on.state(this.state);
    this.connected(true);
  }

  /** @param {boolean} yes */
  connected(yes) {
    this.online = yes;
    this.on.connected(yes);
  }

  out() {
    this.signedOut = true;
    this.on.signedOut();
  }

  /** What changed; asked while it is asked already, it is asked once more afterwards. */
  async ask() {
    if (this.asking) {
      this.again = true;
      return;
    }
    this.asking = true;
    const askedAt = performance.now();
    try {
      const reply = await fetch(this.since(this.address.state), { headers: { Accept: "application/json" } });
      if (reply.status === 401) {
        this.out();
        return;
      }
      if (!reply.ok || reply.redirected) throw new Error("no state");
      const told = await reply.json();
      this.on.asked?.(askedAt);
      this.take(told);
    } catch {
      this.connected(false);
    } finally {
      this.asking = false;
      if (this.again) {
        this.again = false;
        this.ask();
      }
    }
  }

  listen() {
    const stream = new EventSource(this.since(this.address.stream));
    this.stream = stream;
    stream.addEventListener("state", (e) => this.take(JSON.parse(e.data)));
    stream.onerror = () => {
      if (stream.readyState !== EventSource.CLOSED) {
        this.connected(false);
        return;
      }
      this.ask(); // turned away (too many boards, signed out): ask, and try to listen again later
      setTimeout(() => this.listen(), AGAIN_MS);
    };
  }

  /** Listen from now on, and ask where that fails. */
  start() {
    setInterval(() => {
      if (this.stream?.readyState === EventSource.CLOSED) this.ask();
    }, ASK_MS);
    setInterval(() => {
      if (!this.online || this.signedOut) this.ask();
    }, LOST_MS);
    addEventListener("pagehide", () => this.stream?.close());
    addEventListener("pageshow", (e) => {
      if (e.persisted) this.listen(); // back from another page without being loaded anew
    });
    addEventListener("online", () => this.ask());
    this.listen();
  }
}
