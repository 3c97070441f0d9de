// The queue of marks: nothing is lost, nothing arrives twice, what can never be taken is put aside.

import assert from "node:assert/strict";
import test from "node:test";
import "./page.js";

const { Queue } = await import("../../src/ember_web/line/static/line/queue.js");

/** A store that two tabs share. */
class Shelf {
  constructor() {
    /** @type {Map<string, any>} */
    this.marks = new Map();
    /** @type {Map<string, any>} */
    this.aside = new Map();
  }
  async waiting() {
    return [...this.marks.values()];
  }
  async refused() {
    return [...this.aside.values()];
  }
  /** @param {any} mark */
  async put(mark) {
    this.marks.set(mark.id, mark);
  }
  /** @param {string[]} ids */
  async remove(ids) {
    for (const id of ids) this.marks.delete(id);
  }
  /** @param {any} refusal */
  async refuse(refusal) {
    this.aside.set(refusal.id, refusal);
  }
  /** @param {string[]} ids */
  async forget(ids) {
    for (const id of ids) this.aside.delete(id);
  }
}

/** @type {{ status: number, ids: string[] }[]} */
let sent = [];
/** @type {(ids: string[]) => { status: number, refused?: string[] } | null} */
let server = () => ({ status: 200 });
Object.assign(globalThis, {
  fetch: async (/** @type {string} */ _where, /** @type {{ body: string }} */ { body }) => {
    const ids = JSON.parse(body).events.map((/** @type {{ id: string }} */ e) => e.id);
    const answer = server(ids);
    if (!answer) throw new TypeError("no connection");
    sent.push({ status: answer.status, ids });
    const no = new Set(answer.refused ?? []);
    const answers = ids.map((/** @type {string} */ id) => ({
      id,
      status: no.has(id) ? "refused" : "taken",
      message: "it is finished",
    }));
    return new Response(JSON.stringify(answer.status === 200 ? { answers } : { error: { message: "wrong" } }), {
      status: answer.status,
    });
  },
});

const tab = (/** @type {Shelf} */ shelf) => {
  /** @type {string[]} */
  const heard = [];
  const on = /** @type {any} */ (new Proxy({}, { get: (_, name) => () => heard.push(String(name)) }));
  const queue = new Queue("hut", "/events/", () => "token", on, /** @type {any} */ (shelf));
  return { queue, heard };
};
const mark = (/** @type {string} */ id, more = {}) =>
  /** @type {any} */ ({ id, cook: "c", kind: "move", occurred_at: 1, ...more });
const settle = () => new Promise((done) => setTimeout(done, 0));

test("without a connection marks are kept, for all tabs, and arrive once when it is back", async () => {
  [sent, server] = [[], () => null];
  const shelf = new Shelf();
  const [a, b] = [tab(shelf), tab(shelf)];
  await a.queue.put(mark("1"));
  await b.queue.put(mark("2"));
  await settle();
  assert.deepEqual([...shelf.marks.keys()], ["1", "2"]); // neither overwrote the other's
  assert.ok(a.heard.includes("unreachable"));
  const reloaded = tab(shelf);
  await reloaded.queue.read();
  server = () => ({ status: 200 });
  await reloaded.queue.send();
  await a.queue.read();
  assert.deepEqual(
    sent.map((s) => s.ids),
    [["1", "2"]],
  );
  assert.deepEqual([shelf.marks.size, a.queue.waiting.length], [0, 0]);
});

test("one that can never be taken is put aside with its reason; the others arrive", async () => {
  const shelf = new Shelf();
  const { queue } = tab(shelf);
  [sent, server] = [[], () => null];
  for (const id of ["1", "bad", "3"]) await queue.put(mark(id));
  server = (ids) => ({ status: 200, refused: ids.filter((id) => id === "bad") });
  await queue.send();
  assert.deepEqual(
    queue.refused.map((r) => [r.id, r.why]),
    [["bad", "it is finished"]],
  );
  assert.equal(shelf.marks.size, 0);
  queue.forgetRefused();
  assert.equal(shelf.aside.size, 0);
});

test("a batch that is refused as a whole goes one by one", async () => {
  const shelf = new Shelf();
  const { queue } = tab(shelf);
  [sent, server] = [[], () => null];
  for (const id of ["1", "bad", "3"]) await queue.put(mark(id));
  server = (ids) => ({ status: ids.includes("bad") ? 400 : 200 });
  for (let i = 0; i < 5; i++) await queue.send();
  assert.deepEqual(
    queue.refused.map((r) => [r.id, r.why]),
    [["bad", "wrong"]],
  );
  assert.deepEqual(
    sent
      .filter((s) => s.status === 200)
      .flatMap((s) => s.ids)
      .sort(),
    ["1", "3"],
  );
});

for (const status of [500, 503, 429, 401])
  test(`nothing is lost by a ${status}`, async () => {
    const shelf = new Shelf();
    const { queue } = tab(shelf);
    [sent, server] = [[], () => ({ status })];
    await queue.put(mark("1"));
    await queue.put(mark("2"));
    await settle();
    assert.deepEqual([...shelf.marks.keys()], ["1", "2"]);
    server = () => ({ status: 200 });
    await queue.send();
    await queue.send();
    assert.equal(shelf.marks.size, 0);
  });

test("what was undone is not shown as done, and what was not sent can be taken back", async () => {
  const shelf = new Shelf();
  const { queue } = tab(shelf);
  [sent, server] = [[], () => null];
  await queue.put(mark("1"));
  await settle();
  assert.equal(queue.drop("1"), true);
  await settle();
  assert.equal(shelf.marks.size, 0);
  assert.equal(queue.drop("1"), false);
  await queue.put(mark("2"));
  await queue.put(mark("3", { kind: "undo", supersedes: "2" }));
  assert.deepEqual(
    queue.unseen.map((m) => m.id),
    ["3"],
  );
  queue.seen(performance.now() + 1);
});
