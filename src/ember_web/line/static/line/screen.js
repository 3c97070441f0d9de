// What the pass and the wall share: the feed, the alarms, what is said, and a clock that ticks; each draws its own.

import { html, nothing, render } from "../vendor/lit-html/lit-html.min.js";
import { clockOf, t } from "../ui/said.js";
import { Alarm } from "./alarm.js";
import { openAlarmChoices } from "./choices.js";
import { countDown } from "./counts.js";
import { Feed } from "./feed.js";
import { nextOf } from "./fold.js";
import { News, titleOf } from "./news.js";
import { keepOffline } from "./offline.js";
import { stationsOf } from "./stations.js";
import { byId } from "./words.js";

/** @import { Cook, Move, State, View } from "./types.d.ts" */

/** @typedef {{ cook: Cook, move: Move }} Coming */

/**
 * What is next of each piece, by time; pieces without a move are left out.
 * @param {Cook[]} cooks
 * @returns {Coming[]}
 */
export const coming = (cooks) => {
  const out = [];
  for (const cook of cooks) {
    const move = nextOf(cook);
    if (move) out.push({ cook, move });
  }
  return out.sort((a, b) => a.move.due - b.move.due);
};

/**
 * @param {(cooks: Cook[], view: View) => unknown} draw
 */
export const start = (draw) => {
  const [board, place, link, news, bar, muted] = ["board", "screen", "link", "news", "alarm", "alarm-mute"].map(byId);
  const title = document.title;
  const first = /** @type {State} */ (JSON.parse(byId("line-data").textContent ?? ""));
  const clock = clockOf(first.zone);
  const alarm = new Alarm();
  const said = new News();

  const say = (/** @type {unknown} */ words) => {
    link.hidden = !words;
    render(words, link);
  };
  const cooks = () => feed.state.cooks.filter((c) => !c.finished);
  const show = () => {
    render(draw(cooks(), { now: feed.now(), rate: feed.state.rate, clock }), place);
    tick();
  };
  const feed = new Feed(
    first,
    { state: board.dataset.state ?? "", stream: board.dataset.stream ?? "" },
    {
      state: show,
      connected: (yes) => say(yes ? "" : t("No connection: showing the plan")),
      signedOut: () =>
        say(
          html`${t("Signed out")} ·
            <a href=${`${board.dataset.signIn}?next=${encodeURIComponent(location.pathname)}`}>${t("sign in")}</a>`,
        ),
    },
  );
  const tick = () => {
    const now = feed.now();
    countDown(place, now, "li");
    const all = cooks();
    const late = alarm.open(coming(all).filter(({ move }) => move.due < now));
    board.classList.toggle("overdue-flash", late.length > 0);
    alarm.ring(late, stationsOf(all), now, feed.state.rate);
    const mute = all.length ? alarm.mute : "";
    muted.textContent = mute;
    bar.hidden = !late.length;
    const answer = () => {
      alarm.answer(late);
      tick();
    };
    render(
      html`${
        late.length
          ? html`<button type="button" class="b-side" @click=${answer}>${t("Silence alarm")}</button>`
          : nothing
      }`,
      bar,
    );
    const words = titleOf(all, now, clock, title);
    if (document.title !== words) document.title = words;
    const sentences = said.of(all, now, clock);
    if (sentences.length) news.textContent = sentences.join(" ");
  };
  document.getElementById("alarm-choices")?.addEventListener("click", () => openAlarmChoices(alarm, tick));
  place.replaceChildren(); // what was there without scripts
  setInterval(tick, 200);
  setInterval(show, 5000); // what is past its best changes without a word
  feed.start();
  keepOffline(board.dataset.worker ?? "");
  show();
};
