// Line: drawn from one state document, with the marks of this browser laid on it. Countdowns run on the server's clock. Rows and
// hero are patched in place: what has the focus, or lies under a finger, stays.

import { html, nothing, render } from "../vendor/lit-html/lit-html.min.js";
import { draw } from "../ui/chart.js";
import { clockOf, riseWords, t } from "../ui/said.js";
import { Alarm } from "./alarm.js";
import { close, openAlarmChoices, openDialog } from "./choices.js";
import { clashes } from "./clash.js";
import { countDown } from "./counts.js";
import { Feed } from "./feed.js";
import { laid, nextOf, planned } from "./fold.js";
import { emptyHero, heroOf, PLANNED_AS, sparkOf } from "./hero.js";
import { lastAt } from "./moment.js";
import { News, titleOf } from "./news.js";
import { keepOffline } from "./offline.js";
import { Queue } from "./queue.js";
import { rowsOf, stationBar } from "./rows.js";
import { Sheet } from "./sheet.js";
import { unseen } from "./state.js";
import { ownFirst, stationsOf } from "./stations.js";
import { byId, pieces, uuid } from "./words.js";

/** @import { Cook, Mark, Move, State } from "./types.d.ts" */

const UNDO_MS = 60000;
const GHOST_MS = 700; // a second tap so soon is none
const OWN_STATION = "ember-station";

const board = byId("board");
const [hero, rows, undo, link, refused] = ["hero", "rows", "undo", "link", "refused"].map(byId);
const [bar, muted, news] = ["alarm", "alarm-mute", "news"].map(byId);
const write = board.dataset.write === "1";
const address = (/** @type {string} */ name) => board.dataset[name] ?? "";
const device = Math.random().toString(36).slice(2, 8);
const place = document.title;
let ownStation = remembered(OWN_STATION);

/** @param {string} key */
function remembered(key) {
  try {
    return localStorage.getItem(key) ?? "";
  } catch {
    return "";
  }
}

// signing in again changes it
const csrf = () =>
  (document.cookie.match(/(?:^|; )csrftoken=([^;]+)/) ?? [null, document.body.dataset.csrf])[1] ?? "";
const dues = (/** @type {Cook[]} */ cooks) => JSON.stringify(cooks.map((c) => [c.id, c.moves.map((m) => m.due)]));

const alarm = new Alarm();
const said = new News();
const first = /** @type {State} */ (JSON.parse(byId("line-data").textContent ?? ""));
const clock = clockOf(first.zone);

let chosen = location.hash.slice(1);
/** @type {{ id: string, cook: string, at: number, label: string } | null} */
let recent = null; // the last mark made here, on offer for undo for a minute
let strip = dues(first.cooks);
let lockedUntil = 0;
let shownSpark = "";
/** @type {Cook | undefined} */
let main;
/** @type {Cook[]} */
let cooks = [];

const say = (/** @type {unknown} */ words, about = "") => {
  link.dataset.about = about;
  link.hidden = !words;
  render(words, link);
};
const kept = () =>
  queue.waiting.length > 1 ? t("{many} marks kept", { many: queue.waiting.length }) : t("1 mark kept");
const connected = (/** @type {boolean} */ yes) => {
  if (!yes)
    say(
      queue.waiting.length ? t("No connection: {kept}", { kept: kept() }) : t("No connection: showing the plan"),
      "connection",
    );
  else if (link.dataset.about === "connection") say("");
};
const signedOut = () => {
  const to = `${address("signIn")}?next=${encodeURIComponent(location.pathname)}`;
  const words = queue.waiting.length ? t("Signed out: {kept}", { kept: kept() }) : t("Signed out");
  say(html`${words} · <a href=${to}>${t("sign in")}</a>`, "connection");
};

// what can never be taken is shown until someone has seen it
const showRefused = () => {
  refused.hidden = !queue.refused.length;
  const titleOfCook = (/** @type {string | undefined} */ id) => cooks.find((c) => c.id === id)?.title ?? t("mark");
  render(
    refused.hidden
      ? nothing
      : html`${queue.refused.map(
          ({ event, why }) => html`<p>${t("{what} not taken: {why}", { what: titleOfCook(event.cook), why })}</p>`,
        )}<button type="button" class="plain" id="refused-seen" @click=${() => queue.forgetRefused()}>
            ${t("Seen")}
          </button>`,
    refused,
  );
};

const feed = new Feed(
  first,
  { state: address("state"), stream: address("stream") },
  {
    state: (state) => {
      show();
      queue.send();
      if (dues(state.cooks) !== strip && globalThis.htmx) {
        strip = dues(state.cooks);
        globalThis.htmx.trigger("#strip", "refresh");
      }
    },
    connected,
    signedOut,
    asked: (at) => queue.seen(at),
  },
);

const queue = new Queue(address("kitchen"), address("events"), csrf, {
  signedOut: () => feed.out(),
  forbidden: () => say(t("The server refused this: reload the page, or ask a chef for your role."), "refused"),
  unreachable: () => feed.connected(false),
  refused: showRefused,
  changed: () => show(),
  taken: (marks) => {
    feed.signedOut = false;
    feed.connected(true);
    if (marks.some((m) => m.kind === "finish" && m.device === device)) location.href = address("log");
    else feed.ask();
    sheet.taken(marks);
  },
});

/** @param {Omit<Mark, "id" | "occurred_at"> & { occurred_at?: number }} mark */
const push = (mark) => {
  const full = /** @type {Mark} */ ({ id: uuid(), occurred_at: Math.round(feed.now()), device, ...mark });
  const cook = cooks.find((c) => c.id === full.cook);
  const move = cook?.moves.find((m) => m.id === full.move);
  if (full.kind === "move" || full.kind === "extend")
    recent = {
      id: full.id,
      cook: full.cook,
      at: performance.now(),
      label: `${move ? move.verb : t("+1 min")} · ${cook ? cook.title : ""}`,
    };
  else if (full.kind === "undo") recent = null;
  queue.put(full);
};

const sheet = new Sheet(/** @type {HTMLDialogElement} */ (byId("sheet")), address("sheet"), push);

// while a finger is down nothing is drawn anew: what it is about to press would move under it
let held = false;
let waiting = false;
const release = () =>
  setTimeout(() => {
    held = false;
    if (waiting) show();
  }, 0);
addEventListener(
  "pointerdown",
  () => {
    held = true;
  },
  true,
);
for (const up of ["pointerup", "pointercancel", "blur"]) addEventListener(up, release, true);

/** @param {Cook} cook */
const actsOf = (cook) => {
  const finish = () => askFinish(cook);
  return {
    mark: (/** @type {number} */ ago) => {
      if (performance.now() < lockedUntil) return;
      lockedUntil = performance.now() + GHOST_MS;
      const move = nextOf(cook);
      if (!move)
        push({ cook: cook.id, kind: "finish" }); // nothing is missing: it is not asked
      else push({ cook: cook.id, kind: "move", move: move.id, occurred_at: Math.round(feed.now() - 1000 * ago) });
    },
    atTime: () => askTime(cook),
    extend: () => push({ cook: cook.id, kind: "extend", seconds: 60 }),
    finish,
    sheet: () => sheet.open(cook.id),
    so: (/** @type {{ reads: number | null }} */ medium) =>
      push({ cook: cook.id, kind: "medium", medium_c: medium.reads, read: true }),
    wrong: () => push({ cook: cook.id, kind: "probe", is: "out", of: "medium" }),
  };
};

// a move that was done at some time today
/** @param {Cook} cook */
const askTime = (cook) => {
  const move = nextOf(cook);
  if (!move) return;
  const zone = feed.state.zone;
  const label = t("When was it done?");
  const save = (/** @type {number} */ at) => {
    push({ cook: cook.id, kind: "move", move: move.id, occurred_at: Math.round(at) });
    close();
  };
  const done = (/** @type {SubmitEvent} */ e) => {
    e.preventDefault();
    const field = /** @type {HTMLInputElement} */ (byId("ask-time"));
    const at = lastAt(field.value, feed.now(), zone);
    if (at !== null) {
      save(at);
      return;
    }
    byId("ask-wrong").textContent = t(
      "Give a time such as {time}, of the last twelve hours, not one still to come.",
      {
        time: clock.at(feed.now()),
      },
    );
    field.focus();
  };
  const ago = (/** @type {number} */ minutes) =>
    html`<button type="button" class="b-side" @click=${() => save(feed.now() - 60000 * minutes)}>
      ${t("{minutes} min ago", { minutes })}
    </button>`;
  openDialog(
    html`<form class="ask" @submit=${done}>
      <h2>${label}</h2>
      <p>${t("{verb}: {piece}", { verb: move.verb, piece: cook.title })}</p>
      <div class="ask-acts">${[1, 3, 5, 10].map(ago)}</div>
      <div class="ask-acts">
        <input type="text" id="ask-time" maxlength="8" aria-label=${label} .value=${clock.at(feed.now())} />
        <button class="b-side" id="ask-done">${t("Save")}</button>
        <button type="button" class="b-side" @click=${close}>${t("Cancel")}</button>
      </div>
      <p id="ask-wrong" class="care" role="alert"></p>
    </form>`,
    label,
  );
};

// what its record will hold, and what is missing in it
/** @param {Cook} cook */
const askFinish = (cook) => {
  const label = t("End this cook and write its record?");
  const open = cook.moves.filter((m) => m.done === null);
  const done = cook.moves.length - open.length;
  const finish = () => {
    close();
    push({ cook: cook.id, kind: "finish" });
  };
  const read = cook.readings.length
    ? t("its core was read by a probe")
    : t("no probe read its core: the record says what was computed, not measured");
  openDialog(
    html`<div class="ask">
      <h2>${label}</h2>
      <p>${pieces(cook)}</p>
      <ul>
        <li>${t("{done} of {all} moves are marked", { done, all: cook.moves.length })}</li>
        ${open.length ? html`<li class="care">${t("not marked: {moves}", { moves: open.map((m) => m.verb).join(", ") })}</li>` : nothing}
        <li>${read}</li>
      </ul>
      <div class="ask-acts">
        <button type="button" class="b-side" id="ask-finish" @click=${finish}>${t("Finish and log")}</button>
        <button type="button" class="b-side" @click=${close}>${t("Keep cooking")}</button>
      </div>
    </div>`,
    label,
  );
};

document.getElementById("alarm-choices")?.addEventListener("click", () => openAlarmChoices(alarm, show));

/** @param {string} station */
const chooseStation = (station) => {
  ownStation = station;
  try {
    localStorage.setItem(OWN_STATION, station);
  } catch {
    /* private window */
  }
  show();
};

const view = () => ({ now: feed.now(), rate: feed.state.rate, clock });

const show = () => {
  cooks = laid(feed.state.cooks, unseen(feed.state, queue.unseen)).filter((c) => !c.finished);
  waiting = held;
  if (held) return;
  const dueOf = (/** @type {Cook} */ c) => nextOf(c)?.due ?? Number.POSITIVE_INFINITY;
  const listed = ownFirst(cooks, ownStation);
  const mine = listed.filter((c) => c.station === ownStation);
  const upcoming = [...(mine.length ? mine : listed)].sort((a, b) => dueOf(a) - dueOf(b));
  main = cooks.find((c) => c.id === chosen) ?? upcoming[0];
  const shown = main;
  board.classList.toggle("is-empty", !shown);
  if (!shown) {
    render(emptyHero(address("plans"), address("quick"), write), hero);
    render(nothing, rows);
    undo.hidden = true;
  } else {
    render(heroOf(shown, view(), write ? actsOf(shown) : null), hero);
    const choose = (/** @type {Cook} */ cook) => {
      chosen = cook.id;
      history.replaceState(null, "", `#${cook.id}`);
      show();
    };
    const open = (/** @type {Cook} */ cook) => {
      choose(cook);
      if (write) sheet.open(cook.id);
    };
    render(
      html`${stationBar(cooks, ownStation, chooseStation)}${rowsOf(listed, shown, view(), { choose, open })}`,
      rows,
    );
    drawSpark(shown);
    drawUndo(shown);
  }
  tick();
};

/** @param {Cook} cook */
const drawSpark = (cook) => {
  const box = hero.querySelector(".h-spark");
  const spec = JSON.stringify(sparkOf(cook));
  if (!box || (spec === shownSpark && box.childElementCount)) return;
  shownSpark = spec;
  draw(box, JSON.parse(spec));
};

/** @param {Cook} cook */
const drawUndo = (cook) => {
  if (recent && performance.now() - recent.at > UNDO_MS) recent = null;
  const last = [...cook.moves].reverse().find((m) => m.done !== null);
  const before = last ? t("{verb} at {moment}", { verb: last.verb, moment: clock.at(last.done ?? 0) }) : t("+1 min");
  const offer =
    recent ?? (cook.lastEvent ? { id: cook.lastEvent, cook: cook.id, label: `${before} · ${cook.title}` } : null);
  undo.hidden = !offer || !write;
  if (undo.hidden || !offer) return;
  const take = () => {
    recent = null;
    if (!queue.drop(offer.id)) push({ cook: offer.cook, kind: "undo", supersedes: offer.id });
  };
  render(
    html`<span>${t("Last: {mark}", { mark: offer.label })}</span
      ><button type="button" class="plain" id="undo-button" data-key="u" @click=${take}>${t("Undo")}</button>`,
    undo,
  );
};

// what is late, and what wants the same hands at once
const drawAlarm = () => {
  const now = feed.now();
  /** @type {{ cook: Cook, move: Move }[]} */
  const late = [];
  for (const cook of cooks) {
    const move = nextOf(cook);
    if (move && move.due < now) late.push({ cook, move });
  }
  const open = alarm.open(late);
  board.classList.toggle("overdue-flash", open.length > 0);
  alarm.ring(open, stationsOf(cooks), now, feed.state.rate);
  const wanted = clashes(cooks, now).map((group) => {
    const [one, ...others] = group;
    const rest = others.map((w) => t("{verb}: {piece}", { verb: w.move.verb, piece: w.cook.title })).join(", ");
    const words = {
      station: one.cook.station,
      when: clock.at(one.move.due),
      first: t("{verb}: {piece}", { verb: one.move.verb, piece: one.cook.title }),
      rest,
      rise: riseWords(one.rise),
    };
    return one.rise >= 0.05
      ? t("{station} {when}, at the same time: {first} first (30 s of delay adds {rise}), then {rest}.", words)
      : t("{station} {when}, at the same time: {first} first, then {rest}.", words);
  });
  const answer = () => {
    alarm.answer(open);
    drawAlarm();
  };
  const mute = cooks.length ? alarm.mute : "";
  muted.textContent = mute;
  bar.hidden = !(open.length || wanted.length);
  render(
    html`${wanted.map((words) => html`<p class="a-clash">${words}</p>`)}
    ${
      open.length
        ? html`<button type="button" class="b-side" id="alarm-heard" @click=${answer}>
            ${t("Silence alarm")}
          </button>`
        : nothing
    }`,
    bar,
  );
};

const tick = () => {
  const now = feed.now();
  countDown(board, now, ".row-card, .hero");
  for (const e of /** @type {NodeListOf<HTMLElement>} */ (hero.querySelectorAll("[data-planned]"))) {
    const words = main ? PLANNED_AS[e.dataset.planned ?? ""](planned(main, now)) : "";
    if (e.textContent !== words) e.textContent = words;
  }
  const title = titleOf(cooks, now, clock, place);
  if (document.title !== title) document.title = title;
  const words = said.of(cooks, now, clock);
  if (words.length) news.textContent = words.join(" ");
};

for (const box of [hero, rows]) box.replaceChildren(); // what was there without scripts
setInterval(() => {
  tick();
  drawAlarm();
}, 200);
setInterval(() => {
  if (queue.waiting.length) queue.send();
}, 2000);
setInterval(show, 5000); // what goes silent, or is past its minute, changes without a word
feed.start();
keepOffline(address("worker"));
queue.read().then(() => queue.send());
show();
