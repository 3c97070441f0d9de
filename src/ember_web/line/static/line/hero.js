// The big half of the board: the chosen piece, its next move, and what is done about it.

import { html, nothing } from "../vendor/lit-html/lit-html.min.js";
import { core, marked, t, temp } from "../ui/said.js";
import { nextOf } from "./fold.js";
import { pieces } from "./words.js";

/** @import { Clock, Cook, Medium, Move, Truth, Until, View } from "./types.d.ts" */

const SILENT_MS = 120000; // of kitchen time: a probe that said nothing for so long is silent
const NEAR_BEST_MS = 180000;
const NEAR_CONTROL_MS = 3600000;

/**
 * The core as its probe has it, unless that is silent, °C.
 * @param {Cook} cook
 * @param {Pick<View, "now" | "rate">} view
 */
export const probeCore = (cook, { now, rate }) => {
  const last = cook.lastReading;
  return last && now - last[0] < SILENT_MS * Math.max(rate, 1) ? last[1] : null;
};

/**
 * Nothing is on heat: a plan is chosen, or what goes on is written.
 * @param {string} plans where plans are
 * @param {string} quick where what was written is read
 * @param {boolean} write whether anything may be started
 */
export const emptyHero = (plans, quick, write) => html`<div class="empty">
  <h2>${t("Nothing on heat")}</h2>
  ${
    write
      ? html`<form class="empty-quick" action=${quick} role="search">
          <label for="quick">${t("Quick entry: cut, thickness, doneness, time")}</label>
          <input id="quick" name="q" maxlength="300" autocomplete="off" placeholder=${t("bavette 28mm mr 19:40")} />
          <button class="b-side">${t("Plan it")}</button>
        </form>`
      : nothing
  }
  <p><a class="btn btn-primary big" href=${plans}>${t("Choose a plan")}</a></p>
</div>`;

/**
 * What is drawn into the picture of the course: see ui/chart.js.
 * @param {Cook} cook
 */
export const sparkOf = (cook) => {
  const last = cook.lastReading ? [[(cook.lastReading[0] - cook.started) / 1000, cook.lastReading[1]]] : [];
  const dots = [...cook.readings, ...last];
  const total = Math.max(cook.trace[cook.trace.length - 1][0], ...dots.slice(-1).map((r) => r[0]), 1);
  const all = [...cook.trace, ...dots].map((p) => p[1]);
  const low = Math.min(...all);
  return {
    size: [760, 104, 2, 2, 6],
    axes: false,
    x: total,
    y: [low, Math.max(...all, low + 5)],
    lines: [{ as: "l-mean", at: cook.trace }],
    level: cook.target || null,
    moves: cook.moves.map((m) => m.offset),
    across: true,
    dots,
  };
};

// "at pull"; a verb of several words is quoted
/** @param {string} verb */
const atMove = (verb) =>
  verb.includes(" ") ? t("at “{verb}”", { verb }) : t("at {verb}", { verb: verb.toLowerCase() });

/**
 * How the plan's core is said where no probe is, and beside one.
 * @type {Record<string, (c: number) => string>}
 */
export const PLANNED_AS = {
  alone: (c) => `≈ ${temp(c)}`,
  beside: (c) => t("plan {core}", { core: core(c) }),
};

// the core as the probe has it, beside it the plan's, and where it is to go
/**
 * @param {Cook} cook
 * @param {Move | null} move
 * @param {number | null} probe
 */
const coreLine = (cook, move, probe) => {
  const real = cook.truth; // what was done to it tells more than its plan
  const byPlan = cook.probe ? t("by plan; probe silent") : t("by plan; no probe");
  const known = probe ?? real?.core ?? 0;
  const atIt = move !== null && move.core !== null && (move.kind === "pull" || known < move.core); // a late turn lies behind
  const to = atIt ? move.core : cook.target;
  const first =
    probe !== null
      ? html`<span class="core-now">${temp(probe)}</span><small data-planned="beside"></small>`
      : real
        ? html`<span class="core-now">≈ ${temp(real.core)}</span><small>${t("by what was done")}</small>`
        : html`<span class="core-now" data-planned="alone"></span><small>${byPlan}</small>`;
  const towards =
    to === null
      ? nothing
      : html`<span>→</span><span>${temp(to)}</span><small>${atIt ? atMove(move.verb) : t("target")}</small>`;
  return html`<p class="h-core">${first}${towards}</p>`;
};

/**
 * Off the heat: until when it is at its best, and until when it may be served at all.
 * @param {Truth | null} real
 * @param {View} view
 * @returns {{ words: string, near: boolean }[]}
 */
export const waits = (real, { clock, now }) => {
  /** @type {[Until | null | undefined, number, string, string][]} */
  const all = [
    [
      real?.after?.best,
      NEAR_BEST_MS,
      marked("Serve by {when}: {why}."),
      marked("Past its best since {when}: {why}."),
    ],
    [
      real?.after?.control,
      NEAR_CONTROL_MS,
      marked("Under control until {when}: {why}."),
      marked("Discard it: since {when} {why}."),
    ],
  ];
  const out = [];
  for (const [until, close, ahead, over] of all) {
    if (!until) continue;
    const near = until.at - now < close;
    if (near || close === NEAR_BEST_MS)
      out.push({ near, words: t(until.at < now ? over : ahead, { when: clock.at(until.at), why: until.why }) });
  }
  return out;
};

// a bird's other part, by its own probe
/**
 * @param {Cook} cook
 * @param {View} view
 */
const secondLine = (cook, { now, rate, clock }) => {
  const second = cook.second;
  if (!second) return nothing;
  const read = second.read && now - second.read[0] <= SILENT_MS * Math.max(rate, 1) ? temp(second.read[1]) : "–";
  const by = second.learned;
  const when = by ? ` · ${t("likely {when}", { when: clock.between(by.from, by.to) })}` : "";
  return html`<p class="h-second">${`${second.part} ${read} → ${temp(second.target)}${when}`}</p>`;
};

// what a piece becomes at this heat, and when
/**
 * @param {Truth} real
 * @param {View} view
 */
const onward = ({ past, then }, { clock, now }) => {
  if (past === null || past <= now) return "";
  const when = clock.at(past);
  const words = then
    ? t("at this heat {word} at {when}", { word: then, when })
    : t("at this heat past it at {when}", { when });
  return ` · ${words}`;
};

/** @param {string | null | undefined} words */
const care = (words) => (words ? html`<span class="care">${words}</span>` : nothing);

/**
 * @param {Cook} cook
 * @param {Move | null} move
 * @param {View} view
 */
const cueOf = (cook, move, view) => {
  const real = cook.truth;
  const by = move?.kind === "pull" ? cook.learned : null;
  const learned =
    by && (by.note || t("By the probe: pull likely {when}.", { when: view.clock.between(by.from, by.to) }));
  return html`<p class="h-cue">
    ${care(cook.medium?.clock)}${care(cook.medium?.silent)}${care(cook.probeFault)}${care(cook.second?.ask)}
    ${real?.word ? html`<span class="h-learned h-verdict">${real.word + onward(real, view)}</span>` : nothing}
    ${learned ? html`<span class="h-learned">${learned}</span>` : nothing}
    ${move ? move.cue : t("Finish it to write the record.")}
    ${waits(real, view).map(({ words, near }) => html`<span class=${near ? "care" : "h-learned"}>${words}</span>`)}
    ${(real?.said ?? []).map(care)} ${care(move?.caution && `⚠ ${move.caution}`)}
  </p>`;
};

/**
 * What can be done at the board.
 * @typedef {object} Acts
 * @property {(ago: number) => void} mark the next move is done, s ago
 * @property {() => void} atTime
 * @property {() => void} extend
 * @property {() => void} finish
 * @property {() => void} sheet
 * @property {(medium: Medium) => void} so what heats is as its thermometer says
 * @property {() => void} wrong its thermometer is off
 */

/**
 * What is asked of what heats: it is as its thermometer says, or that is wrong.
 * @param {Medium | null} medium
 * @param {Acts} acts
 */
const mediumAsk = (medium, acts) =>
  medium?.ask
    ? html`<div class="h-ask">
        <p>${medium.ask}</p>
        <button type="button" class="b-side" id="medium-so" @click=${() => acts.so(medium)}>${t("Confirm")}</button>
        <button type="button" class="b-side" id="medium-wrong" @click=${acts.wrong}>
          ${t("Its thermometer is off")}
        </button>
      </div>`
    : nothing;

// done, a while ago, at a time, a minute more, finish
/**
 * @param {Move | null} move
 * @param {Acts} acts
 */
const buttons = (move, acts) => {
  const done = move ? t("{verb}: done", { verb: move.verb }) : t("Finish and log");
  const more = move
    ? html`<div class="b-col">
          <button type="button" class="b-side" id="ago40" data-key="a" @click=${() => acts.mark(40)}>
            ${t("did it 40 s ago")}
          </button>
          <button type="button" class="b-side" id="ago120" data-key="b" @click=${() => acts.mark(120)}>
            ${t("2 min ago")}
          </button>
        </div>
        <div class="b-col">
          <button type="button" class="b-side" id="extend" data-key="m" @click=${acts.extend}>${t("+1 min")}</button>
          <button type="button" class="b-side" id="at-time" data-key="t" @click=${acts.atTime}>
            ${t("other time")}
          </button>
        </div>`
    : nothing;
  return html`<div class="h-acts">
    <button type="button" class="b-done" id="done" data-key="Enter" @click=${() => acts.mark(0)}>${done}</button>
    ${more}
  </div>`;
};

/**
 * The words of a piece. Elements with data-due and data-planned are filled in by the board's clock.
 * @param {Cook} cook
 * @param {View} view
 * @param {Acts | null} acts none for who may only look
 */
export const heroOf = (cook, view, acts) => {
  const move = nextOf(cook);
  const count = move ? html`<p class="h-count" data-due=${move.due}></p>` : html`<p class="h-count">–</p>`;
  const tools = acts
    ? html`<div class="h-tools">
        <button type="button" class="b-side h-sheet" id="open-sheet" data-key="c" @click=${acts.sheet}>
          ${t("check · what happened")}
        </button>
        ${
          move
            ? html`<button type="button" class="b-side h-sheet" id="finish" data-key="f" @click=${acts.finish}>
                ${t("finish and log")}
              </button>`
            : nothing
        }
      </div>`
    : nothing;
  return html`<p class="h-verb">${move ? move.verb : t("All moves done")}</p>
    <p class="h-piece">${pieces(cook)} · <span translate="no">${cook.station}</span></p>
    ${count} ${coreLine(cook, move, probeCore(cook, view))} ${secondLine(cook, view)}
    <svg
      class="h-spark"
      viewBox="0 0 760 104"
      role="img"
      aria-label=${t("Predicted core and probe readings")}
      preserveAspectRatio="none"
    ></svg>
    ${acts ? mediumAsk(cook.medium, acts) : nothing} ${cueOf(cook, move, view)}
    ${acts ? buttons(move, acts) : nothing}${tools}`;
};
