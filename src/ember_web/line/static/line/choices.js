// The dialog of a board: one question at a time, and the choices of this device's alarms.

import { html, render } from "../vendor/lit-html/lit-html.min.js";
import { t } from "../ui/said.js";
import { CHOICE_WORDS, CHOICES } from "./alarm.js";
import { byId } from "./words.js";

/** @import { Alarm } from "./alarm.js" */

const dialog = () => /** @type {HTMLDialogElement} */ (byId("ask"));

export const close = () => dialog().close();

/**
 * @param {unknown} words
 * @param {string} label
 */
export const openDialog = (words, label) => {
  dialog().setAttribute("aria-label", label);
  render(words, dialog());
  dialog().showModal();
};

/**
 * @param {Alarm} alarm
 * @param {() => void} changed
 */
export const openAlarmChoices = (alarm, changed) => {
  const label = t("Alarms on this device");
  const box = (/** @type {typeof CHOICES[number]} */ name) =>
    html`<label class="ask-choice"
      ><input
        type="checkbox"
        .checked=${alarm.choices[name]}
        @change=${async (/** @type {Event} */ e) => {
          const input = /** @type {HTMLInputElement} */ (e.target);
          input.checked = await alarm.choose(name, input.checked);
          changed();
        }}
      />${t(CHOICE_WORDS[name])}</label
    >`;
  openDialog(
    html`<div class="ask">
      <h2>${label}</h2>
      ${CHOICES.map(box)}
      <div class="ask-acts">
        <button type="button" class="b-side" @click=${() => alarm.tone(880, 0.3)}>${t("Try the tone")}</button>
        <button type="button" class="b-side" @click=${close}>${t("Close")}</button>
      </div>
    </div>`,
    label,
  );
};
