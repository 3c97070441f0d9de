// The pass: all stations by time; what waits, and for how long it may.

import { html, nothing, repeat } from "../vendor/lit-html/lit-html.min.js";
import { t, temp } from "../ui/said.js";
import { probeCore, waits } from "./hero.js";
import { coming, start } from "./screen.js";
import { pieces } from "./words.js";

start((cooks, view) => {
  const next = coming(cooks);
  const waiting = cooks.map((cook) => ({ cook, words: waits(cook.truth, view) })).filter((w) => w.words.length);
  const idle = cooks.filter((c) => c.next === null);
  if (!cooks.length) return html`<p class="screen-none">${t("Nothing on heat")}</p>`;
  return html`<ol class="pass-list">
      ${repeat(
        next,
        ({ cook }) => cook.id,
        ({ cook, move }) => {
          const core = probeCore(cook, view);
          const state = [
            ...(core === null ? [] : [t("core {core}", { core: temp(core) })]),
            ...(cook.truth?.word ? [cook.truth.word] : []),
          ].join(" · ");
          return html`<li>
            <span class="pass-at">${view.clock.at(move.due)}</span>
            <span class="pass-what"><b>${move.verb}</b> <span translate="no">${pieces(cook)}</span></span>
            <span class="pass-more"><span translate="no">${cook.station}</span>${state ? ` · ${state}` : ""}</span>
            <span class="pass-left" data-due=${move.due}></span>
          </li>`;
        },
      )}
    </ol>
    ${
      idle.length
        ? html`<h2>${t("All moves done")}</h2>
            <p class="pass-idle" translate="no">${idle.map(pieces).join(", ")}</p>`
        : nothing
    }
    ${
      waiting.length
        ? html`<h2>${t("Waiting")}</h2>
            <ul class="pass-waits">
              ${waiting.map(
                ({ cook, words }) =>
                  html`<li>
                    <b translate="no">${pieces(cook)}</b>
                    ${words.map((w) => html`<span class=${w.near ? "care" : ""}>${w.words}</span>`)}
                  </li>`,
              )}
            </ul>`
        : nothing
    }`;
});
