// The big half of the board: the chosen piece, its next move, and what is done about it.

import { nextOf } from "./fold.js";
import { draw } from "../ui/chart.js";
import { core, marked, t, temp } from "../ui/said.js";
import { el, named, pieces, svg } from "./words.js";

const SILENT_MS = 120000; // of kitchen time: a probe that said nothing for so long is silent

export const probeCore = (cook, now, rate) => {
  const last = cook.lastReading;
  return last && now - last[0] < SILENT_MS * Math.max(rate, 1) ? last[1] : null;
};

const spark = (cook) => {
  const box = svg("svg", {
    viewBox: "0 0 760 104",
    class: "h-spark",
    role: "img",
    "aria-label": t("Predicted core and probe readings"),
    preserveAspectRatio: "none",
  });
  const total = Math.max(cook.trace[cook.trace.length - 1][0], ...cook.readings.slice(-1).map((r) => r[0]), 1);
  const all = [...cook.trace.map((p) => p[1]), ...cook.readings.map((r) => r[1])];
  const low = Math.min(...all);
  draw(box, {
    size: [760, 104, 2, 2, 6],
    axes: false,
    x: total,
    y: [low, Math.max(...all, low + 5)],
    lines: [{ as: "l-mean", at: cook.trace }],
    level: cook.target || null,
    moves: cook.moves.map((m) => m.offset),
    across: true,
    dots: cook.readings,
  });
  return box;
};

export const nothing = (plans) => {
  const empty = el("div", "empty");
  const a = el("a", "btn btn-primary big", t("Choose a plan"));
  a.href = plans;
  empty.append(
    el("h2", "", t("Nothing on heat")),
    el("p", "", t("Save a plan and start it: it appears here with its next move and the time to it.")),
    a,
  );
  return empty;
};

// the core as the probe has it, beside it the plan's, and where it is to go; also where the plan's core is to be shown
const coreLine = (cook, move, probe) => {
  const line = el("p", "h-core");
  const toGo = move && move.core !== null ? move.core : cook.target;
  const real = cook.truth; // what was done to it tells more than its plan
  const first = el("span", "core-now", probe !== null ? temp(probe) : real ? `≈ ${temp(real.core)}` : "–");
  const planned = cook.probe ? t("by plan; probe silent") : t("by plan; no probe");
  const silent = real ? t("by what was done") : planned;
  const beside = el("small", "", probe !== null ? t("plan {core}", { core: "–" }) : silent);
  line.append(first, beside);
  if (toGo !== null && toGo !== undefined)
    line.append(
      el("span", "", "→"),
      el("span", "", temp(toGo)),
      el("small", "", move && move.core !== null ? atMove(move.verb) : t("target")),
    );
  const shown =
    cook.trace.length && (probe !== null || !real)
      ? {
          cook,
          at: probe !== null ? beside : first,
          words: probe !== null ? (c) => t("plan {core}", { core: core(c) }) : (c) => `≈ ${temp(c)}`,
        }
      : null;
  return [line, shown];
};

// off the heat: until when it is at its best, and until when it may be served at all
const waits = (after, clock, now) => {
  const out = [];
  for (const [until, ahead, over] of [
    [after?.best, marked("Serve by {when}: {why}."), marked("Past its best since {when}: {why}.")],
    [after?.control, marked("Under control until {when}: {why}."), marked("Discard it: since {when} {why}.")],
  ])
    if (until) {
      const past = until.at < now;
      const near = past || until.at - now < (until === after.best ? 180000 : 3600000);
      if (until === after.best || near)
        out.push(
          el(
            "span",
            near ? "care" : "h-learned",
            t(past ? over : ahead, { when: clock.at(until.at), why: until.why }),
          ),
        );
    }
  return out;
};

// a bird's other part, by its own probe
const secondLine = (cook, { now, rate, clock }) => {
  const second = cook.second;
  if (!second) return null;
  const silent = !second.read || now - second.read[0] > SILENT_MS * Math.max(rate, 1);
  const by = second.learned;
  const when = by ? ` · ${t("likely {when}", { when: clock.between(by.from, by.to) })}` : "";
  return el("p", "h-second", `${second.part} ${silent ? "–" : temp(second.read[1])} → ${temp(second.target)}${when}`);
};

// "at pull"; a verb of several words is quoted
const atMove = (verb) =>
  verb.includes(" ") ? t("at “{verb}”", { verb }) : t("at {verb}", { verb: verb.toLowerCase() });

// what a piece becomes at this heat, and when
const onward = ({ past, then }, clock, now) => {
  if (!(past > now)) return "";
  const when = clock.at(past);
  const words = then
    ? t("at this heat {word} at {when}", { word: then, when })
    : t("at this heat past it at {when}", { when });
  return ` · ${words}`;
};

const cueOf = (cook, move, clock, now) => {
  const cue = el("p", "h-cue", move ? move.cue : t("Finish it to write the record."));
  const by = cook.learned;
  if (by && move && move.kind === "pull")
    cue.prepend(
      el(
        "span",
        "h-learned",
        by.note ? by.note : t("By the probe: pull likely {when}.", { when: clock.between(by.from, by.to) }),
      ),
    );
  const real = cook.truth;
  if (real?.word) {
    cue.prepend(el("span", "h-learned h-verdict", `${real.word}${onward(real, clock, now)}`));
  }
  for (const words of [cook.second?.ask, cook.probeFault]) if (words) cue.prepend(el("span", "care", words));
  for (const words of [cook.medium?.silent, cook.medium?.clock]) if (words) cue.prepend(el("span", "care", words));
  for (const words of waits(real?.after, clock, now)) cue.append(words);
  for (const words of real?.said || []) cue.append(el("span", "care", words));
  if (move?.caution) cue.append(el("span", "care", `⚠ ${move.caution}`));
  return cue;
};

// the words of a piece; returns what is to be put in the hero, and where the plan's core goes on
export const heroOf = (cook, { now, rate, clock }) => {
  const move = nextOf(cook);
  const count = el("p", "h-count", move ? "" : "–");
  if (move) count.dataset.due = move.due;
  const [line, shown] = coreLine(cook, move, probeCore(cook, now, rate));
  const piece = el("p", "h-piece", `${pieces(cook)} · `);
  piece.append(named(cook.station));
  const other = secondLine(cook, { now, rate, clock });
  const parts = [
    el("p", "h-verb", move ? move.verb : t("All moves done")),
    piece,
    count,
    line,
    ...(other ? [other] : []),
    spark(cook),
    cueOf(cook, move, clock, now),
  ];
  return [parts, shown];
};

const button = (cls, label, id, act) => {
  const b = el("button", cls, label);
  b.type = "button";
  b.id = id;
  b.addEventListener("click", act);
  return b;
};

// what is asked of what heats: it is as its thermometer says, or that is wrong
export const mediumAsk = (medium, { so, wrong }) => {
  const ask = el("div", "h-ask");
  ask.append(
    el("p", "", medium.ask),
    button("b-side", t("Confirm"), "medium-so", so),
    button("b-side", t("Its thermometer is off"), "medium-wrong", wrong),
  );
  return ask;
};

// to the sheet of checks and of what happened
export const sheetButton = (open) => button("b-side h-sheet", t("check · what happened"), "open-sheet", open);

// done, a while ago, a minute more, finish
export const actsOf = (cook, { mark, extend, finish }) => {
  const move = nextOf(cook);
  const acts = el("div", "h-acts");
  const left = el("div", "b-col");
  const right = el("div", "b-col");
  acts.append(
    button("b-done", move ? t("{verb}: done", { verb: move.verb }) : t("Finish and log"), "done", () => mark(0)),
  );
  if (move) {
    left.append(
      button("b-side", t("did it 40 s ago"), "ago40", () => mark(40)),
      button("b-side", t("2 min ago"), "ago120", () => mark(120)),
    );
    right.append(
      button("b-side", t("+1 min"), "extend", extend),
      button("b-side", t("finish and log"), "finish", finish),
    );
  }
  acts.append(left, right);
  return acts;
};
