// A part of the page that is swapped while somebody types, chooses or reads in it keeps what is theirs: what was entered after
// the request went out, the caret, the focus, and which tables are open.

/** @typedef {HTMLInputElement} Field a field of a form: of the others only what all have in common is asked */

/** @param {ParentNode} root */
const forms = (root) => [...root.querySelectorAll("form")];
/** @param {HTMLFormElement} form */
const fields = (form) =>
  /** @type {Field[]} */ ([...form.elements]).filter(
    (f) => f.name && !/^(submit|button|fieldset|file)$/.test(f.type),
  );
/** @param {Field} f */
const state = (f) => (f.type === "checkbox" || f.type === "radio" ? String(f.checked) : f.value);
/**
 * @param {HTMLFormElement} form
 * @param {Field} f
 * @param {number} at which of the forms
 */
const keyOf = (form, f, at) =>
  `${form.id || at}/${f.name}/${f.type === "radio" || f.type === "checkbox" ? f.value : ""}`;

/**
 * Every field by its key.
 * @param {ParentNode} root
 */
const all = (root) => {
  /** @type {Map<string, Field>} */
  const out = new Map();
  forms(root).forEach((form, at) => {
    for (const f of fields(form)) out.set(keyOf(form, f, at), f);
  });
  return out;
};
/** @param {ParentNode} root */
const values = (root) => new Map([...all(root)].map(([key, f]) => [key, state(f)]));

/**
 * How an element is found again in what takes its place.
 * @param {Element | null} found
 * @param {Element} root
 */
const describe = (found, root) => {
  const el = /** @type {Field} */ (found);
  if (!el || el === document.body || !root.contains(el)) return "";
  const esc = CSS.escape;
  if (el.id) return `#${esc(el.id)}`;
  const { set, value, step, grip } = el.dataset;
  if (set !== undefined) return `[data-set="${esc(set)}"][data-value="${esc(value ?? "")}"]`;
  if (step !== undefined) return `[data-step="${esc(step)}"]`;
  if (grip !== undefined) return `[data-grip="${esc(grip)}"]`;
  if (el.name)
    return `${el.localName}[name="${esc(el.name)}"]${el.type === "submit" ? `[value="${esc(el.value)}"]` : ""}`;
  if (el.localName === "summary")
    return `summary[data-of="${esc(nameOf(/** @type {HTMLDetailsElement} */ (el.parentElement)))}"]`;
  return "";
};
/** @param {HTMLDetailsElement} details */
const nameOf = (details) =>
  details.id || details.querySelector("summary")?.textContent?.trim().replace(/\s+/g, " ") || "";
/** @param {ParentNode} root */
const tables = (root) => [...root.querySelectorAll("details")];

export const keeper = () => {
  const sent = new WeakMap(); // request: what stood in the fields when it went out
  const unsaid = new Map(); // fields that were typed in while they were swapped: the browser may not tell of their change
  /**
   * @type {{
   *   root: string, dragged: boolean, own: Map<string, string>, focus: string, typing: string | null | undefined,
   *   caret: [number | null, number | null] | null, whole: boolean, open: Map<string, boolean>,
   * } | null}
   */
  let kept = null;
  /** @type {{ root: Element, focus: string, rendered: Map<string, string> } | null} */
  let again = null;

  /**
   * @param {Element} root
   * @param {XMLHttpRequest} xhr
   */
  const before = (root, xhr) => {
    const known = sent.get(xhr);
    const now = values(root);
    // what is dragged on the picture goes on by itself: its own script enters where it ends
    const dragged = xhr.responseURL.includes("live=1");
    const own = new Map([...now].filter(([key, value]) => !dragged && known?.has(key) && known.get(key) !== value));
    const focused = document.activeElement;
    const typing =
      focused && root.contains(focused) && "selectionStart" in focused ? /** @type {Field} */ (focused) : null;
    kept = {
      root: root.id,
      dragged,
      own,
      focus: describe(focused, root),
      typing: typing && [...all(root)].find(([, f]) => f === typing)?.[0],
      caret: typing?.type !== "number" && typing ? [typing.selectionStart, typing.selectionEnd] : null,
      // a field that Tab has just entered is selected as a whole, and stays so with another value in it
      whole: Boolean(typing?.value && typing.selectionStart === 0 && typing.selectionEnd === typing.value.length),
      open: new Map(tables(root).map((d) => [nameOf(d), d.open])),
    };
  };

  /**
   * @param {Element} root
   * @param {string} css
   */
  const focusOn = (root, css) => {
    const el = css ? /** @type {Field | null} */ (root.querySelector(css)) : null;
    if (el && document.activeElement !== el) {
      const next = el.disabled ? el.parentElement?.querySelector("button:not(:disabled)") : el;
      /** @type {HTMLElement | null | undefined} */ (next)?.focus({ preventScroll: true });
    }
    return el;
  };

  const after = () => {
    if (!kept) return;
    const { dragged, own, focus, typing, caret, whole, open } = kept;
    const root = (kept.root && document.getElementById(kept.root)) || document.body;
    kept = null;
    for (const d of tables(root)) {
      const was = open.get(nameOf(d));
      if (was !== undefined) d.open = was;
      d.querySelector("summary")?.setAttribute("data-of", nameOf(d));
    }
    const fresh = all(root);
    const rendered = values(root);
    for (const [key, value] of own) {
      const f = fresh.get(key);
      if (!f || state(f) === value) continue;
      if (f.type === "checkbox" || f.type === "radio") f.checked = value === "true";
      else f.value = value;
      if (key === typing) unsaid.set(f, true);
    }
    const el = focusOn(root, focus);
    again = { root, focus, rendered: dragged ? new Map() : rendered };
    if (caret && el && "setSelectionRange" in el && el.type !== "hidden") {
      try {
        if (whole) el.select();
        else el.setSelectionRange(...caret);
      } catch {
        /* a kind of field without a caret */
      }
    }
  };

  // what was entered after the request went out is asked for once the new form listens: the one that would have asked is gone
  /**
   * @param {Element} root
   * @param {Map<string, string>} rendered
   */
  const askAgain = (root, rendered) => {
    for (const [key, f] of all(root)) {
      const asks = f.form?.matches('[hx-trigger*="change"]');
      if (!asks || f === document.activeElement || !rendered.has(key) || rendered.get(key) === state(f)) continue;
      unsaid.delete(f);
      f.dispatchEvent(new Event("change", { bubbles: true }));
      return;
    }
  };

  document.addEventListener("htmx:beforeRequest", (e) => {
    const root = e.detail.target;
    if (root?.querySelectorAll) sent.set(e.detail.xhr, values(root));
  });
  document.addEventListener("htmx:beforeSwap", (e) => {
    const root = e.detail.target;
    if (e.detail.shouldSwap && root?.querySelectorAll) before(root, e.detail.xhr);
  });
  document.addEventListener("htmx:afterSwap", after);
  // a button that is only now made ready by another script
  document.addEventListener("htmx:afterSettle", () => {
    if (!again) return;
    const { root, focus, rendered } = again;
    again = null;
    queueMicrotask(() => {
      if (document.activeElement === document.body) focusOn(root, focus);
      askAgain(root, rendered);
    });
  });
  document.addEventListener("change", (e) => unsaid.delete(/** @type {Field} */ (e.target)));
  document.addEventListener("focusout", (e) => {
    const f = /** @type {Field} */ (e.target);
    if (!unsaid.has(f)) return;
    // after the browser's own change event, if it sends one
    setTimeout(() => {
      if (unsaid.delete(f) && f.isConnected) f.dispatchEvent(new Event("change", { bubbles: true }));
    });
  });
};
