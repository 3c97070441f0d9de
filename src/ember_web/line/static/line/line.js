// Line: drawn from one state document, with the marks of this board laid on it. Countdowns run on the server's clock.

import { laid, nextOf, planned } from "./fold.js";
import { actsOf, heroOf, mediumAsk, nothing, probeCore, sheetButton } from "./hero.js";
import { Queue } from "./queue.js";
import { Sheet } from "./sheet.js";
import { merged, unseen } from "./state.js";
import { beep, el, named, pieces, uuid } from "./words.js";
import { clockOf, span, t, temp } from "../ui/said.js";

const UNDO_MS = 60000;
const GHOST_MS = 700; // a second tap so soon is none
const BEEP_EVERY_MS = 10000;

const board = document.getElementById("board");
const [hero, rows, undo, link] = ["hero", "rows", "undo", "link"].map((id) => document.getElementById(id));
const write = board.dataset.write === "1";
const device = Math.random().toString(36).slice(2, 8);
// signing in again changes it
const csrf = () => (document.cookie.match(/(?:^|; )csrftoken=([^;]+)/) || [null, document.body.dataset.csrf])[1];
const dues = (cooks) => JSON.stringify(cooks.map((c) => [c.id, c.moves.map((m) => m.due)]));

let state = JSON.parse(document.getElementById("line-data").textContent);
let base = state.now;
let began = performance.now();
let chosen = location.hash.slice(1);
let recent = null; // the last mark made here, on offer for undo for a minute
let shown = "";
let planShown = null; // the plan's core goes on between two states
let strip = dues(state.cooks);
let lockedUntil = 0;
let beeped = 0;
let online = true;
let signedOut = false;
let asking = false;
let again = false;

const now = () => base + (performance.now() - began) * state.rate;
const clock = clockOf(state.zone);
const cookOf = (id) => state.cooks.find((c) => c.id === id);

const say = (...parts) => {
  delete link.dataset.about;
  link.replaceChildren(...parts);
  link.hidden = false;
};
const kept = () =>
  queue.waiting.length > 1 ? t("{many} marks kept", { many: queue.waiting.length }) : t("1 mark kept");
const connected = (yes) => {
  online = yes;
  if (!yes) {
    say(queue.waiting.length ? t("No connection: {kept}", { kept: kept() }) : t("No connection: showing the plan"));
    link.dataset.about = "connection";
  } else if (link.dataset.about === "connection") {
    link.hidden = true;
    link.textContent = "";
  }
};
const signOut = () => {
  signedOut = true;
  const a = el("a", "", t("sign in"));
  a.href = `${board.dataset.signIn}?next=${encodeURIComponent(location.pathname)}`;
  say(queue.waiting.length ? t("Signed out: {kept}", { kept: kept() }) : t("Signed out"), " · ", a);
  link.dataset.about = "connection";
};

// what can never be taken is shown until someone has seen it
const showRefused = () => {
  const box = document.getElementById("refused");
  box.hidden = !queue.refused.length;
  const words = queue.refused.map(({ event, why }) => {
    const cook = cookOf(event.cook);
    return el("p", "", t("{what} not taken: {why}", { what: cook ? cook.title : t("mark"), why }));
  });
  box.replaceChildren(...words);
  if (box.hidden) return;
  const seen = el("button", "plain", t("Seen"));
  seen.type = "button";
  seen.id = "refused-seen";
  seen.addEventListener("click", () => queue.forgetRefused());
  box.append(seen);
};

const queue = new Queue(board.dataset.kitchen, board.dataset.events, csrf, {
  signedOut: signOut,
  forbidden: () => say(t("The server refused this: reload the page, or ask a chef for your role.")),
  unreachable: () => connected(false),
  refused: showRefused,
  taken: (events) => {
    signedOut = false;
    connected(true);
    if (events.some((e) => e.kind === "finish")) location.href = board.dataset.log;
    else fetchState();
    sheet.taken(events);
  },
});

const push = (event) => {
  const full = { id: uuid(), occurred_at: Math.round(now()), device, ...event };
  const cook = cookOf(event.cook);
  const move = cook?.moves.find((m) => m.id === event.move);
  if (event.kind === "move" || event.kind === "extend")
    recent = {
      id: full.id,
      cook: event.cook,
      at: performance.now(),
      label: `${move ? move.verb : t("+1 min")} · ${cook ? cook.title : ""}`,
    };
  else if (event.kind === "undo") recent = null;
  queue.put(full);
  render();
};

const sheet = new Sheet(document.getElementById("sheet"), board.dataset.sheet, push);

const take = (told) => {
  state = merged(state, told);
  base = state.now;
  began = performance.now();
  render();
  if (dues(state.cooks) !== strip && window.htmx) {
    strip = dues(state.cooks);
    window.htmx.trigger("#strip", "refresh");
  }
};

const fetchState = async () => {
  if (asking) {
    again = true;
    return;
  }
  asking = true;
  const askedAt = performance.now();
  try {
    const address = `${board.dataset.state}?since=${encodeURIComponent(state.rev || "")}`;
    const reply = await fetch(address, { headers: { Accept: "application/json" } });
    if (reply.status === 401) {
      signOut();
      return;
    }
    if (!reply.ok || reply.redirected) throw new Error("no state");
    const told = await reply.json();
    queue.seen(askedAt);
    signedOut = false;
    take(told);
    connected(true);
    queue.send();
  } catch {
    connected(false);
  } finally {
    asking = false;
    if (again) {
      again = false;
      fetchState();
    }
  }
};

const rowOf = (cook, current) => {
  const card = el("button", "row-card");
  card.id = cook.id;
  card.type = "button";
  if (current) card.setAttribute("aria-current", "true");
  const move = nextOf(cook);
  const core = probeCore(cook, now(), state.rate);
  const head = el("h2", "", pieces(cook));
  const count = el("span", "r-count");
  if (move) count.dataset.due = move.due;
  head.append(count);
  const next = move ? `${move.verb} ${clock.at(move.due)}` : t("all moves done");
  const line = el("p");
  line.append(
    named(cook.station),
    ["", next, ...(core !== null ? [t("core {core}", { core: temp(core) })] : [])].join(" · "),
  );
  card.append(head, line);
  card.addEventListener("click", () => {
    chosen = cook.id;
    history.replaceState(null, "", `#${cook.id}`);
    shown = "";
    render();
  });
  return card;
};

// while a finger is down nothing is drawn anew: what it is about to press would be gone when it lifts
let held = false;
let waiting = false;
const release = () =>
  setTimeout(() => {
    held = false;
    if (waiting) {
      waiting = false;
      render();
    }
  }, 0);
const hold = () => {
  held = true;
};
addEventListener("pointerdown", hold, true);
for (const up of ["pointerup", "pointercancel", "blur"]) addEventListener(up, release, true);

const render = () => {
  const cooks = laid(state.cooks, unseen(state, queue.unseen)).filter((c) => !c.finished);
  const key = JSON.stringify([
    cooks.map((c) => [
      c.id,
      c.next,
      c.lastReading,
      c.learned,
      c.truth,
      c.probeFault,
      c.medium,
      c.second,
      c.moves.map((m) => m.done || m.due),
    ]),
    chosen,
    queue.waiting.length,
  ]);
  if (key === shown) return;
  if (held) {
    waiting = true;
    return;
  }
  shown = key;
  const upcoming = cooks.filter((c) => nextOf(c)).sort((a, b) => nextOf(a).due - nextOf(b).due);
  const main = cooks.find((c) => c.id === chosen) || upcoming[0] || cooks[0];
  rows.replaceChildren(...cooks.map((cook) => rowOf(cook, cook === main)));
  drawHero(main);
  tick();
};

const drawHero = (cook) => {
  planShown = null;
  undo.hidden = true;
  if (!cook) {
    hero.replaceChildren(nothing(board.dataset.state.replace(/line\/state\/$/, "plan/list/")));
    return;
  }
  const [parts, plan] = heroOf(cook, { now: now(), rate: state.rate, clock });
  hero.replaceChildren(...parts);
  planShown = plan;
  if (!write) return;
  const finish = () => push({ cook: cook.id, kind: "finish" });
  const mark = (ago) => {
    if (performance.now() < lockedUntil) return;
    lockedUntil = performance.now() + GHOST_MS;
    const move = nextOf(cook);
    if (!move) finish();
    else push({ cook: cook.id, kind: "move", move: move.id, occurred_at: Math.round(now() - 1000 * ago) });
  };
  hero.querySelector(".h-piece").append(sheetButton(() => sheet.open(cook.id)));
  const medium = cook.medium;
  if (medium?.ask)
    hero.querySelector(".h-cue").before(
      mediumAsk(medium, {
        so: () => push({ cook: cook.id, kind: "medium", medium_c: medium.reads, read: true }),
        wrong: () => push({ cook: cook.id, kind: "probe", is: "out", of: "medium" }),
      }),
    );
  hero.append(
    actsOf(cook, {
      mark,
      extend: () => push({ cook: cook.id, kind: "extend", seconds: 60 }),
      finish: () => {
        if (confirm(t("End this cook now and write its record?"))) finish();
      },
    }),
  );
  drawUndo(cook);
};

const drawUndo = (cook) => {
  if (recent && performance.now() - recent.at > UNDO_MS) recent = null;
  const last = [...cook.moves].reverse().find((m) => m.done !== null);
  const before = last ? t("{verb} at {moment}", { verb: last.verb, moment: clock.at(last.done) }) : t("+1 min");
  const offer =
    recent || (cook.lastEvent ? { id: cook.lastEvent, cook: cook.id, label: `${before} · ${cook.title}` } : null);
  undo.hidden = !offer;
  if (!offer) return;
  const button = el("button", "plain", t("Undo"));
  button.type = "button";
  button.id = "undo-button";
  button.addEventListener("click", () => {
    recent = null;
    if (queue.drop(offer.id)) {
      shown = "";
      render();
    } else push({ cook: offer.cook, kind: "undo", supersedes: offer.id });
  });
  undo.replaceChildren(el("span", "", t("Last: {mark}", { mark: offer.label })), button);
};

const tick = () => {
  let late = false;
  if (planShown) {
    const words = planShown.words(planned(planShown.cook, now()));
    if (planShown.at.textContent !== words) planShown.at.textContent = words;
  }
  for (const e of board.querySelectorAll("[data-due]")) {
    const left = Number(e.dataset.due) - now();
    const value = span(left / 1000);
    if (e.textContent !== value) e.textContent = value;
    (e.closest(".row-card") || hero).classList.toggle("overdue", left < 0);
    late = late || left < 0;
  }
  board.classList.toggle("overdue-flash", late);
  if (late && performance.now() - beeped > BEEP_EVERY_MS) {
    beeped = performance.now();
    beep();
  }
};

let stream = null;
const listen = () => {
  stream = new EventSource(`${board.dataset.stream}?since=${encodeURIComponent(state.rev || "")}`);
  stream.addEventListener("state", (e) => {
    signedOut = false;
    take(JSON.parse(e.data));
    connected(true);
    queue.send();
  });
  stream.onerror = () => {
    if (stream.readyState !== EventSource.CLOSED) {
      connected(false);
      return;
    }
    fetchState(); // turned away (too many boards, signed out): ask, and try to listen again later
    setTimeout(listen, 30000);
  };
};

try {
  const theme = localStorage.getItem("ember-line-theme");
  if (theme) document.documentElement.dataset.bsTheme = theme;
} catch {
  /* private window */
}
setInterval(tick, 200);
setInterval(() => {
  if (queue.waiting.length) queue.send();
  else if (!online || signedOut) fetchState();
}, 2000);
setInterval(() => {
  if (stream.readyState === EventSource.CLOSED) fetchState();
}, 5000);
listen();
window.addEventListener("pagehide", () => stream?.close());
showRefused();
render();
queue.send();
