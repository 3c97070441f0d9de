// The wall: the next moves in letters for five metres.

import { html, nothing, repeat } from "../vendor/lit-html/lit-html.min.js";
import { t } from "../ui/said.js";
import { coming, start } from "./screen.js";
import { pieces } from "./words.js";

const LINES = 6;

start((cooks) => {
  const next = coming(cooks);
  if (!next.length) return html`<p class="screen-none">${t("Nothing on heat")}</p>`;
  const more = next.length - LINES;
  return html`<ol class="wall-list">
      ${repeat(
        next.slice(0, LINES),
        ({ cook }) => cook.id,
        ({ cook, move }) =>
          html`<li>
            <span class="wall-left" data-due=${move.due}></span>
            <b>${move.verb}</b>
            <span class="wall-what" translate="no">${pieces(cook)}</span>
            <span class="wall-station" translate="no">${cook.station}</span>
          </li>`,
      )}
    </ol>
    ${more > 0 ? html`<p class="wall-more">${t("and {n} more", { n: more })}</p>` : nothing}`;
});
