// The sheet of a piece: its forms are the server's; what they say goes into the board's queue, and the sheet is asked
// for anew when it was taken.

import { units } from "../ui/said.js";

/** @import { Mark } from "./types.d.ts" */

const KEPT_MS = 4000; // the last verdict is shown while the next is asked for

export class Sheet {
  /**
   * @param {HTMLDialogElement} dialog
   * @param {string} address with "/cook/" where the cook's id goes
   * @param {(mark: { cook: string, kind: string, [more: string]: unknown }) => void} push
   */
  constructor(dialog, address, push) {
    this.dialog = dialog;
    this.address = address;
    this.push = push;
    this.cook = "";
    this.body = /** @type {HTMLElement} */ (dialog.querySelector("#sheet-body"));
    dialog.querySelector("#sheet-close")?.addEventListener("click", () => dialog.close());
    dialog.addEventListener("close", () => {
      this.cook = "";
    });
    this.body.addEventListener("submit", (e) => this.said(/** @type {SubmitEvent} */ (e)));
  }

  /** @param {string} cook */
  open(cook) {
    this.cook = cook;
    this.body.replaceChildren();
    if (!this.dialog.open) this.dialog.showModal();
    this.fetch();
  }

  async fetch() {
    const cook = this.cook;
    if (!cook) return;
    const where = this.address.replace("/cook/", `/${cook}/`);
    const reply = await fetch(where, { headers: { "X-Sheet": "1" } }).catch(() => null);
    if (!reply?.ok || this.cook !== cook) return;
    const text = await reply.text();
    const found = new DOMParser().parseFromString(text, "text/html");
    this.body.replaceChildren(...found.body.childNodes);
    this.dialog.scrollTop = 0;
  }

  // a form of the sheet becomes an event; what needs the server to be made (a stage) is sent as the form it is
  /** @param {SubmitEvent} e */
  said(e) {
    const form = /** @type {HTMLFormElement} */ (e.target);
    const data = new FormData(form, e.submitter);
    const text = (/** @type {string} */ name) => String(data.get(name) ?? "");
    const number = (/** @type {string} */ name) => Number(text(name).replace(",", "."));
    const kind = text("kind");
    if (kind === "stage") {
      /** @type {HTMLInputElement} */ (form.elements.namedItem("then")).value = ""; // back to this board
      return;
    }
    e.preventDefault();
    /** @type {{ cook: string, kind: string, [more: string]: unknown }} */
    const event = { cook: this.cook, kind };
    if (kind === "check") {
      const [check, answer, grey, part] = text("said").split("|");
      const width = /** @type {HTMLInputElement | null} */ (this.body.querySelector('[name="width"]:checked'));
      Object.assign(event, { check, width: width?.value ?? "untrained" });
      if (grey) event.grey = Number(grey);
      if (part) event.part = part;
      if (answer) event.answer = answer;
      else if (text("core_c")) event.core_c = celsius(number("core_c"));
      else return;
    } else if (kind === "undo") event.supersedes = text("supersedes");
    else if (kind === "medium") {
      if (!text("medium_c")) return;
      event.medium_c = celsius(number("medium_c"));
      if (text("read")) event.read = true;
    } else if (kind === "probe") {
      event.is = text("is");
      if (text("of")) event.of = text("of");
    }
    if (text("seconds")) event.seconds = number("seconds");
    this.push(event);
    this.body.setAttribute("aria-busy", "true");
    setTimeout(() => this.body.removeAttribute("aria-busy"), KEPT_MS);
  }

  /** @param {Mark[]} marks */
  taken(marks) {
    if (marks.some((m) => m.cook === this.cook)) this.fetch();
  }
}

/** @param {number} value in the reader's unit */
const celsius = (value) => (units.temperature === "F" ? (value - 32) / 1.8 : value);
