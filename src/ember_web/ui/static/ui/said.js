// Words and quantities for whoever reads the page. English stands in the scripts; another language's catalogue is loaded
// before them, and units stand on the body. Numbers come in SI.

const parts = (document.body.dataset.units ?? "C-mm-g-L-24").split("-");
export const units = { temperature: parts[0], length: parts[1], mass: parts[2], volume: parts[3], clock: parts[4] };

/**
 * A sentence of the catalogue with its values put in, such as t("core {core}", { core: "55.0 °C" }).
 * @param {string} text
 * @param {Record<string, unknown>} values
 */
export const t = (text, values = {}) => {
  const found = globalThis.django?.catalog?.[text] || text;
  return found.replace(/\{(\w+)\}/g, (whole, name) => (name in values ? String(values[name]) : whole));
};

/**
 * Marks a sentence for the catalogue where it is not written into t() itself.
 * @param {string} text
 */
export const marked = (text) => text;

export const degrees = units.temperature === "F" ? "°F" : "°C";

/**
 * °C in the reader's unit.
 * @param {number} celsius
 */
export const inDegrees = (celsius) => (units.temperature === "F" ? 1.8 * celsius + 32 : celsius);

/**
 * A temperature without its unit, one decimal.
 * @param {number} celsius
 */
export const core = (celsius) => inDegrees(celsius).toFixed(1);

/** @param {number} celsius */
export const temp = (celsius) => `${core(celsius)} ${degrees}`;

/**
 * A difference of temperatures.
 * @param {number} kelvin
 */
export const riseWords = (kelvin) => `${(units.temperature === "F" ? 1.8 * kelvin : kelvin).toFixed(1)} ${degrees}`;

/**
 * A duration in s as the core's clock_span writes it: m:ss below ten minutes, then minutes rounded up, from two hours on hours
 * and minutes.
 * @param {number} seconds
 */
export const span = (seconds) => {
  const whole = Math.floor(Math.abs(seconds) + 0.5);
  const sign = seconds < 0 && whole ? "−" : "";
  if (whole < 600) return `${sign}${Math.floor(whole / 60)}:${String(whole % 60).padStart(2, "0")}`;
  const m = Math.ceil(whole / 60);
  const long = { hours: Math.floor(m / 60), minutes: String(m % 60).padStart(2, "0") };
  return sign + (m < 120 ? t("{minutes} min", { minutes: m }) : t("{hours} h {minutes}", long));
};

/**
 * How a kitchen's clock is written: 19:40 or 7:40 pm.
 * @param {string} zone
 */
export const clockOf = (zone) => {
  const format = new Intl.DateTimeFormat("en-GB", {
    hour: units.clock === "12" ? "numeric" : "2-digit",
    minute: "2-digit",
    hour12: units.clock === "12",
    timeZone: zone,
  });
  const at = (/** @type {number} */ ms) => format.format(ms);
  const between = (/** @type {number} */ a, /** @type {number} */ b) =>
    at(a) === at(b) ? t("at {moment}", { moment: at(a) }) : `${at(a)}–${at(b)}`;
  return { at, between };
};
