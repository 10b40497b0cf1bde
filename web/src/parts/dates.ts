import { DAY, time } from "./season";

/** Days as "2027-09-09" and times as "18:30": read as people type them, and counted. */

const MONTHS = ["jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec"];
const WEEKDAYS = ["sun", "mon", "tue", "wed", "thu", "fri", "sat"];

/** Whether a text is a day as the server takes it. */
export function isDay(text: string): boolean {
  return /^\d{4}-\d{2}-\d{2}$/.test(text) && !Number.isNaN(time(text));
}

/** A day some days later; nothing where the text is no day. */
export function addDays(iso: string, days: number): string {
  return isDay(iso) ? new Date(time(iso) + days * DAY).toISOString().slice(0, 10) : "";
}

/** The Monday of a day's week. */
export function mondayOf(iso: string): string {
  return addDays(iso, -((new Date(time(iso)).getUTCDay() + 6) % 7));
}

/** The calendar week of a day (ISO 8601: from Monday, the first is the one with 4 January). */
export function weekNumber(iso: string): number {
  const thursday = addDays(mondayOf(iso), 3);
  return Math.floor((time(thursday) - time(`${thursday.slice(0, 4)}-01-01`)) / (7 * DAY)) + 1;
}

/** The first day of a day's week, where weeks begin on a weekday: 0 for Monday through 6. */
export function weekOf(iso: string, begins: number): string {
  return addDays(iso, -((new Date(time(iso)).getUTCDay() + 13 - begins) % 7));
}

function dayOf(year: number, month: number, date: number): string | null {
  if (year < 100) year += 2000;
  const at = new Date(Date.UTC(year, month - 1, date));
  const real = at.getUTCFullYear() === year && at.getUTCMonth() === month - 1 && at.getUTCDate() === date;
  return real && year >= 1900 ? at.toISOString().slice(0, 10) : null;
}

/** Without a year the day that comes next, today included. */
function coming(month: number, date: number, today: string): string | null {
  const year = Number(today.slice(0, 4));
  const here = dayOf(year, month, date);
  return here !== null && here >= today ? here : dayOf(year + 1, month, date);
}

/**
 * A day as people type it: 2027-09-14, 9/14/2027, 9/14, 14.9.2027, 14 Sep, Sep 14 2027, Tue 14 Sep 2027, 09142027, today,
 * tomorrow, +14 (days from today), fri (the next one). Numbers with a slash are month and day; with dots, day and month.
 * Null where it is no day.
 */
export function dayTyped(text: string, today: string): string | null {
  const typed = text.trim().toLowerCase().replace(/,/g, " ").replace(/\s+/g, " ");
  if (typed === "today") return today;
  if (typed === "tomorrow") return addDays(today, 1);
  const ahead = /^\+(\d{1,4})$/.exec(typed);
  if (ahead) return addDays(today, Number(ahead[1]));
  const weekday = /^[a-z]{2,}$/.test(typed) ? WEEKDAYS.findIndex((w) => typed.startsWith(w)) : -1;
  if (weekday >= 0) {
    const now = new Date(time(today)).getUTCDay();
    return addDays(today, ((weekday - now + 6) % 7) + 1);
  }
  const n = (part: string | undefined) => Number(part);
  let m = /^(\d{4})[-/.](\d{1,2})[-/.](\d{1,2})$/.exec(typed);
  if (m) return dayOf(n(m[1]), n(m[2]), n(m[3]));
  m = /^(\d{1,2})[/-](\d{1,2})(?:[/-](\d{4}|\d{2}))?$/.exec(typed);
  if (m) return m[3] ? dayOf(n(m[3]), n(m[1]), n(m[2])) : coming(n(m[1]), n(m[2]), today);
  m = /^(\d{1,2})\.(\d{1,2})\.(\d{4}|\d{2})?$/.exec(typed);
  if (m) return m[3] ? dayOf(n(m[3]), n(m[2]), n(m[1])) : coming(n(m[2]), n(m[1]), today);
  m = /^(?:19|20)\d{6}$/.exec(typed);
  if (m) return dayOf(n(typed.slice(0, 4)), n(typed.slice(4, 6)), n(typed.slice(6)));
  m = /^\d{8}$/.exec(typed);
  if (m) return dayOf(n(typed.slice(4)), n(typed.slice(0, 2)), n(typed.slice(2, 4)));
  const words = typed.replace(/^(?:sun|mon|tue|wed|thu|fri|sat)[a-z]*\.? /, "");
  m = /^(\d{1,2})(?:st|nd|rd|th)?\.? ([a-z]{3,})\.?(?: (\d{4}))?$/.exec(words);
  if (!m) {
    const flipped = /^([a-z]{3,})\.? (\d{1,2})(?:st|nd|rd|th)?(?: (\d{4}))?$/.exec(words);
    if (flipped) m = [flipped[0], flipped[2], flipped[1], flipped[3]] as unknown as RegExpExecArray;
  }
  const month = m ? MONTHS.findIndex((name) => m[2]!.startsWith(name)) + 1 : 0;
  if (!m || month === 0) return null;
  return m[3] ? dayOf(n(m[3]), month, n(m[1])) : coming(month, n(m[1]), today);
}

/** A time as people type it: 18:30, 18.30, 1830, 6:30 pm, 6pm, 18. Null where it is none. */
export function timeTyped(text: string): string | null {
  const m = /^(\d{1,2})(?:[:.h]?(\d{2}))?(?::\d{2})?\s*(?:([ap])\.?m?\.?)?$/.exec(text.trim().toLowerCase());
  if (!m) return null;
  let hour = Number(m[1]);
  const minute = Number(m[2] ?? "0");
  if (m[3] && (hour < 1 || hour > 12)) return null;
  if (m[3] === "p" && hour < 12) hour += 12;
  if (m[3] === "a" && hour === 12) hour = 0;
  if (hour > 23 || minute > 59) return null;
  return `${String(hour).padStart(2, "0")}:${String(minute).padStart(2, "0")}`;
}
