// A time of day on the kitchen's clock, as the moment it was last.

const DAY_MIN = 24 * 60;
const LONGEST_MIN = 12 * 60;

/**
 * Hours and minutes of a moment, HH:MM, as a time field takes them.
 * @param {number} ms
 * @param {string} zone
 */
export const dayTime = (ms, zone) =>
  new Intl.DateTimeFormat("en-GB", { hour: "2-digit", minute: "2-digit", hourCycle: "h23", timeZone: zone }).format(
    ms,
  );

/** @param {string} text HH:MM */
const minutesOf = (text) => {
  const [hours, minutes] = text.split(":").map(Number);
  return 60 * hours + minutes;
};

/**
 * When it was that time last, ms since 1970; null where it lies more than twelve hours back, or ahead.
 * @param {string} text HH:MM
 * @param {number} now
 * @param {string} zone
 */
export const lastAt = (text, now, zone) => {
  if (!/^\d{1,2}:\d{2}$/.test(text)) return null;
  const back = (minutesOf(dayTime(now, zone)) - minutesOf(text) + DAY_MIN) % DAY_MIN;
  if (back > LONGEST_MIN) return null;
  return back === 0 ? now : Math.floor(now / 60000) * 60000 - back * 60000;
};
