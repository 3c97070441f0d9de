// A time of day on the kitchen's clock, as the moment it was last.

const DAY_MIN = 24 * 60;
const LONGEST_MIN = 12 * 60;

/**
 * Minutes of the day of a moment.
 * @param {number} ms
 * @param {string} zone
 */
const minutesAt = (ms, zone) => {
  const format = new Intl.DateTimeFormat("en-GB", {
    hour: "2-digit",
    minute: "2-digit",
    hourCycle: "h23",
    timeZone: zone,
  });
  const [hours, minutes] = format.format(ms).split(":").map(Number);
  return 60 * hours + minutes;
};

/**
 * Minutes of the day as written: 19:40, 19.40, 1940, 7:40 pm, 7 pm; null for what is no time of day.
 * @param {string} text
 */
export const readTime = (text) => {
  const found = /^\s*(\d{1,2})(?:[:.]?(\d{2}))?\s*([ap])?\.?m?\.?\s*$/i.exec(text);
  if (!found || (found[2] === undefined && !found[3])) return null;
  let hours = Number(found[1]);
  const minutes = Number(found[2] ?? 0);
  if (found[3]) {
    if (hours < 1 || hours > 12) return null;
    hours = (hours % 12) + (found[3].toLowerCase() === "p" ? 12 : 0);
  }
  return hours > 23 || minutes > 59 ? null : 60 * hours + minutes;
};

/**
 * When it was that time last, ms since 1970; null where that is no time, lies more than twelve hours back, or ahead.
 * @param {string} text
 * @param {number} now
 * @param {string} zone
 */
export const lastAt = (text, now, zone) => {
  const asked = readTime(text);
  if (asked === null) return null;
  const back = (minutesAt(now, zone) - asked + DAY_MIN) % DAY_MIN;
  if (back > LONGEST_MIN) return null;
  return back === 0 ? now : Math.floor(now / 60000) * 60000 - back * 60000;
};
