// As much of a page as modules ask for when they are loaded; imported before them.

Object.assign(globalThis, {
  document: { body: { dataset: { units: "C-mm-g-L-24" } }, documentElement: { lang: "en" }, addEventListener() {} },
});

/** A clock of UTC, HH:MM. */
export const clock = {
  at: (/** @type {number} */ ms) => new Date(ms).toISOString().slice(11, 16),
  between: (/** @type {number} */ a, /** @type {number} */ b) => `${clock.at(a)}–${clock.at(b)}`,
};

/**
 * A piece of the state document.
 * @param {object} own what is not as usual
 * @returns {any}
 */
export const cook = (own) => ({
  id: "c",
  title: "Bavette",
  station: "Grill",
  count: 1,
  started: 0,
  finished: null,
  probe: null,
  next: 1,
  lastEvent: "e",
  target: 55,
  pullCore: 50,
  learned: null,
  truth: null,
  readings: [],
  lastReading: null,
  marks: [],
  probeFault: null,
  medium: null,
  second: null,
  trace: [
    [0, 4],
    [120, 10],
    [240, 30],
    [420, 50],
    [600, 54],
  ],
  moves: [move("m0", "start", 0, 0), move("m1", "pull", 420, null)],
  ...own,
});

/**
 * @param {string} id
 * @param {string} kind
 * @param {number} offset
 * @param {number | null} done
 */
export const move = (id, kind, offset, done) => ({
  id,
  kind,
  verb: kind[0].toUpperCase() + kind.slice(1),
  cue: "",
  why: "",
  caution: "",
  core: null,
  offset,
  due: 1000 * offset,
  done,
});
