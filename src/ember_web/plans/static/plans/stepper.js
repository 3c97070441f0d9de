import { form, input, number, rules, within } from "./quantities.js";

// By touch a number of the sentence is changed on a sheet from below: by steps, by its usual values, or typed.
(() => {
  const sheet = /** @type {HTMLElement} */ (document.getElementById("stepper")),
    touch = window.matchMedia("(pointer: coarse)"),
    PAUSE_MS = 350; // after the last step, before the plan is asked
  const FIELDS = ["size_mm", "mass_g", "start_c", "target_c", "heat_c"];
  let field = "",
    value = "",
    timer = 0,
    typing = false;

  /**
   * A part of the sheet.
   * @param {string} css
   */
  const part = (css) => /** @type {HTMLElement} */ (sheet.querySelector(css));
  /**
   * What an event was on.
   * @param {Event} e
   */
  const on = (e) => /** @type {HTMLInputElement} */ (e.target);
  const show = () => {
    part("output").textContent = value;
  };
  const enter = () => {
    clearTimeout(timer);
    timer = 0;
    const here = input(field);
    if (!here || here.value === value) return;
    here.value = value;
    here.dispatchEvent(new Event("change", { bubbles: true }));
  };
  /** @param {number} by */
  const step = (by) => {
    const { step: wide } = rules(field);
    value = within(field, number(value) + by * wide);
    show();
    clearTimeout(timer);
    timer = window.setTimeout(enter, PAUSE_MS);
  };
  /** @returns {[string, string][]} values and their words */
  const usual = () => {
    const named = /** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll('.names [data-set="target_c"]'));
    if (field === "target_c") return [...named].map((b) => [b.dataset.value ?? "", b.textContent?.trim() ?? ""]);
    const known = field === "start_c" ? sheet.dataset.start_c : form()?.dataset[field];
    return (known ?? "")
      .split(" ")
      .filter(Boolean)
      .map((v) => [v, v]);
  };
  /** @param {string} name */
  const open = (name) => {
    field = name;
    value = input(name)?.value ?? "";
    part(".stepper-name").textContent = input(name)?.getAttribute("aria-label") ?? "";
    part(".usual").replaceChildren(
      ...usual().map(([v, words]) => {
        const button = document.createElement("button");
        button.type = "button";
        button.className = "name";
        button.dataset.value = v;
        button.textContent = words;
        return button;
      }),
    );
    show();
    sheet.hidden = false;
    document.body.classList.add("is-stepping");
  };
  const close = () => {
    if (timer) enter();
    field = "";
    sheet.hidden = true;
    document.body.classList.remove("is-stepping");
  };
  const prepare = () => {
    for (const name of FIELDS) {
      const here = input(name);
      if (here && here.type !== "hidden") here.inputMode = touch.matches && !typing ? "none" : "decimal";
    }
  };

  document.addEventListener("focusin", (e) => {
    const name = on(e).name;
    if (!touch.matches || typing || !on(e).closest?.(".say") || !FIELDS.includes(name)) return;
    if (name !== field) open(name);
  });
  sheet.addEventListener("click", (e) => {
    const button = on(e).closest("button");
    if (!button) return;
    if (button.dataset.by) step(Number(button.dataset.by));
    else if (button.dataset.value) {
      value = button.dataset.value;
      show();
      enter();
    } else if ("type" in button.dataset) {
      const here = field;
      close();
      typing = true;
      prepare();
      input(here)?.focus();
      input(here)?.select();
    } else close();
  });
  document.addEventListener("focusout", (e) => {
    if (typing && on(e).closest?.(".say")) {
      typing = false;
      prepare();
    }
  });
  document.addEventListener("pointerdown", (e) => {
    if (field && !on(e).closest("#stepper, .say")) close();
  });
  document.addEventListener("keydown", (e) => {
    if (e.key === "Escape" && field) close();
  });
  document.addEventListener("htmx:afterSettle", () => {
    prepare();
    if (field && !timer) {
      value = input(field)?.value ?? value;
      show();
    }
  });
  prepare();
})();
