import { refused } from '../faults.ts';
import { quoted } from '../words.ts';
import { nextTimes } from './schedule.ts';

/** A time of the week in which something may happen: from a time of day up to another, which may lie on the next day. */
export interface Window {
  /** Days on which it opens, 0 is Sunday. */
  readonly days: ReadonlySet<number>;
  /** Times of day, `22:00`; `to` may be `24:00`. */
  readonly from: string;
  readonly to: string;
  readonly zone: string;
}

const DAYS = ['Sun', 'Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat'] as const;
const ALL_DAYS: ReadonlySet<number> = new Set(DAYS.keys());
const EXAMPLE = 'Mon–Fri 22:00–05:00 Europe/London';
/** Openings that are looked at to find one that the clocks don't jump over. */
const LOOKS = 4;

/**
 * Reads windows, one a line: `22:00–05:00 Europe/London`, `Sat, Sun 00:00–24:00 UTC`. None: it is always open. Throws a fault
 * that names the line.
 */
export function readWindows(text: string): Window[] {
  return text
    .split(/\r?\n/)
    .map((line) => line.trim())
    .filter((line) => line !== '')
    .map(readWindow);
}
function readWindow(line: string): Window {
  const found = /^(?:(.*?[A-Za-z])\s+)?(\d{1,2}:\d{2})\s*(?:-|–|to)\s*(\d{1,2}:\d{2})(?:\s+(\S+))?$/.exec(line);
  if (!found) throw refused(`${quoted(line)} is no window; write one such as ${EXAMPLE}.`);
  const [from, to] = [found[2]!, found[3]!].map((t) => t.padStart(5, '0')) as [string, string];
  if (!/^([01]\d|2[0-3]):[0-5]\d$/.test(from) || !(to === '24:00' || /^([01]\d|2[0-3]):[0-5]\d$/.test(to)))
    throw refused(`${quoted(line)} has a time that no clock shows; write one such as ${EXAMPLE}.`);
  if (from === to || (from === '00:00' && to === '00:00'))
    throw refused(`The window ${quoted(line)} closes when it opens; for the whole day write 00:00–24:00.`);
  const zone = found[4];
  if (zone === undefined) throw refused(`${quoted(line)} names no time zone; write one such as ${EXAMPLE}.`);
  try {
    clockOf(zone, new Date(0));
  } catch {
    throw refused(`There is no time zone ${quoted(zone)}; zones are named such as Europe/London.`);
  }
  return { days: found[1] === undefined ? ALL_DAYS : readDays(found[1], line), from, to, zone };
}
function readDays(text: string, line: string): ReadonlySet<number> {
  const day = (name: string): number => {
    const at = DAYS.findIndex((d) => d.toLowerCase() === name.trim().slice(0, 3).toLowerCase());
    const whole = ['sunday', 'monday', 'tuesday', 'wednesday', 'thursday', 'friday', 'saturday'][at];
    if (at < 0 || !whole!.startsWith(name.trim().toLowerCase()))
      throw refused(
        `${quoted(name.trim())} in the window ${quoted(line)} is no day; write days such as Mon or Mon–Fri.`,
      );
    return at;
  };
  const days = new Set<number>();
  for (const part of text.split(/\s*,\s*|\s+(?=[A-Za-z]+(?:\s*[-–]|$|\s))/)) {
    const [first, last = first] = part.split(/\s*[-–]\s*/).map(day);
    for (let d = first!; ; d = (d + 1) % 7) {
      days.add(d);
      if (d === last) break;
    }
  }
  return days;
}

interface Clock {
  readonly day: number;
  readonly time: string;
}
const formats = new Map<string, Intl.DateTimeFormat>();
function clockOf(zone: string, at: Date): Clock {
  let format = formats.get(zone);
  if (!format) {
    format = new Intl.DateTimeFormat('en-GB', {
      timeZone: zone,
      weekday: 'short',
      hour: '2-digit',
      minute: '2-digit',
      hourCycle: 'h23',
    });
    formats.set(zone, format);
  }
  const parts = Object.fromEntries(format.formatToParts(at).map((p) => [p.type, p.value]));
  return { day: DAYS.indexOf(parts['weekday'] as never), time: `${parts['hour']}:${parts['minute']}` };
}

/** Whether something may happen now. */
export const isOpen = (windows: readonly Window[], now: Date): boolean =>
  windows.length === 0 || windows.some((w) => isIn(w, now));
function isIn({ days, from, to, zone }: Window, now: Date): boolean {
  const { day, time } = clockOf(zone, now);
  if (from < to) return days.has(day) && from <= time && time < to;
  return (days.has(day) && from <= time) || (days.has((day + 6) % 7) && time < to);
}

/** When the next of them opens; null where one is open now, or there are none. */
export function opensAt(windows: readonly Window[], now: Date): Date | null {
  if (isOpen(windows, now)) return null;
  const openings = windows.flatMap((w) => opening(w, now) ?? []);
  return new Date(Math.min(...openings.map((at) => at.getTime())));
}
/** Minutes of two weeks: what takes longer is told of nobody. */
const MOST_MINUTES = 14 * 24 * 60;
/** When they will have been open for so many milliseconds from a moment on, to the minute; null where that takes over two weeks. */
export function openFor(windows: readonly Window[], from: Date, millis: number): Date | null {
  if (windows.length === 0) return new Date(from.getTime() + millis);
  let left = millis;
  for (let minute = 0; minute < MOST_MINUTES; minute++) {
    const at = new Date(from.getTime() + minute * 60_000);
    if (!isOpen(windows, at)) continue;
    if (left <= 60_000) return new Date(at.getTime() + left);
    left -= 60_000;
  }
  return null;
}
function opening(window: Window, now: Date): Date | null {
  const [hour, minute] = window.from.split(':').map(Number);
  const cron = `${minute} ${hour} * * ${[...window.days].join(',')}`;
  const times = nextTimes({ cron, zone: window.zone, except: [], only: [] }, now, LOOKS);
  // A clock that is put forward may pass over all of it, or over its beginning: then it is open from the jump on.
  let opens = times.find(({ at }) => isIn(window, at))?.at ?? null;
  for (let before = opens; before !== null && before > now && isIn(window, before);) {
    opens = before;
    before = new Date(before.getTime() - 60_000);
  }
  return opens;
}
