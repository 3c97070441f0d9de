// Countdowns: elements that name the moment they count to.

import { span } from "../ui/said.js";

/**
 * Write what is left into every element with data-due, and mark what holds it as overdue when that is past.
 * @param {Element} root
 * @param {number} now
 * @param {string} holder what is marked, as a selector
 */
export const countDown = (root, now, holder) => {
  for (const e of /** @type {NodeListOf<HTMLElement>} */ (root.querySelectorAll("[data-due]"))) {
    const left = Number(e.dataset.due) - now;
    const words = span(left / 1000);
    if (e.textContent !== words) e.textContent = words;
    e.closest(holder)?.classList.toggle("overdue", left < 0);
  }
};
