// All pieces beside the big one, and the stations they are at: one's own first, then the others, in an order that stays.

import { html, nothing, repeat } from "../vendor/lit-html/lit-html.min.js";
import { t, temp } from "../ui/said.js";
import { nextOf } from "./fold.js";
import { probeCore } from "./hero.js";
import { stationsOf } from "./stations.js";
import { pieces } from "./words.js";

/** @import { Cook, View } from "./types.d.ts" */

const NUMBERED = 9; // rows that a key chooses

/**
 * @param {Cook[]} cooks
 * @param {string} own
 * @param {(station: string) => void} choose
 */
export const stationBar = (cooks, own, choose) => {
  const all = stationsOf(cooks);
  if (all.length < 2) return nothing;
  return html`<div class="stations" role="group" aria-label=${t("Your station first")}>
    ${repeat(
      all,
      (s) => s,
      (s) => html`<button
        type="button"
        class="b-station"
        aria-pressed=${s === own ? "true" : "false"}
        translate="no"
        @click=${() => choose(s === own ? "" : s)}
      >
        ${s}
      </button>`,
    )}
  </div>`;
};

/**
 * @param {Cook[]} cooks
 * @param {Cook} main the one that is shown large
 * @param {View} view
 * @param {{ choose: (cook: Cook) => void, open: (cook: Cook) => void }} acts
 */
export const rowsOf = (cooks, main, view, acts) =>
  repeat(
    cooks,
    (c) => c.id,
    (cook) => {
      const move = nextOf(cook);
      const core = probeCore(cook, view);
      const number = cooks.indexOf(cook) + 1;
      const words = [
        "",
        move ? `${move.verb} ${view.clock.at(move.due)}` : t("all moves done"),
        ...(core === null ? [] : [t("core {core}", { core: temp(core) })]),
      ].join(" · ");
      return html`<button
        type="button"
        class="row-card"
        id=${cook.id}
        data-key=${number <= NUMBERED ? String(number) : ""}
        aria-current=${cook === main ? "true" : "false"}
        @click=${() => acts.choose(cook)}
        @contextmenu=${(/** @type {Event} */ e) => {
          e.preventDefault();
          acts.open(cook);
        }}
      >
        <span class="r-head"
          ><span class="r-name">${pieces(cook)}</span>${
            move ? html`<span class="r-count" data-due=${move.due}></span>` : nothing
          }</span
        >
        <span class="r-next"><span translate="no">${cook.station}</span>${words}</span>
      </button>`;
    },
  );
