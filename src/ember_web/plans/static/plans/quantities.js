// The quantities of the sentence as they stand in its fields, in the reader's units: their steps and how far they go.

export const form = () => /** @type {HTMLFormElement | null} */ (document.getElementById("sentence"));
/** @param {string} field */
export const input = (field) =>
  /** @type {HTMLInputElement | null | undefined} */ (form()?.elements.namedItem(field));
/** @param {unknown} text */
export const number = (text) => Number.parseFloat(String(text).replace(",", ".").replace("−", "-"));
const chosen = () => (document.body.dataset.units ?? "C-mm-g").split("-");

/** @param {string} field */
export const unit = (field) => {
  const [degrees, length, mass] = chosen();
  return field === "size_mm" ? length : field === "mass_g" ? mass : `°${degrees}`;
};

/** @param {string} field */
export const rules = (field) => {
  const [degrees, length, mass] = chosen(),
    now = number(input(field)?.value);
  if (field === "size_mm")
    return length === "in"
      ? { step: 0.05, low: 0.1, high: 15.5, digits: 2 }
      : { step: now < 60 ? 0.5 : 1, low: 1, high: 400, digits: 1 };
  if (field === "mass_g")
    return mass === "oz"
      ? { step: 0.5, low: 0.5, high: 7000, digits: 1 }
      : { step: now < 100 ? 1 : now < 1000 ? 10 : 50, low: 1, high: 200000, digits: 0 };
  const f = degrees === "F";
  if (field === "heat_c" && now > (f ? 210 : 100))
    return { step: f ? 10 : 5, low: f ? 110 : 45, high: f ? 750 : 400, digits: 0 };
  if (field === "heat_c") return { step: f ? 1 : 0.5, low: f ? 32 : 0, high: f ? 210 : 100, digits: 1 };
  if (field === "start_c") return { step: 1, low: -40, high: f ? 140 : 60, digits: 0 };
  return { step: f ? 1 : 0.5, low: f ? 32 : 0, high: f ? 212 : 100, digits: 1 };
};

/**
 * @param {string} field
 * @param {number} value
 */
export const within = (field, value) => {
  const { step, low, high, digits } = rules(field);
  return Math.min(Math.max(Math.round(value / step) * step, low), high)
    .toFixed(digits)
    .replace(/\.0+$/, "");
};
