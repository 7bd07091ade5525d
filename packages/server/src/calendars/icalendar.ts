import { refused } from '@versicle/core';
import ICAL from 'ical.js';

/** Days of events that repeat are worked out for so many years around now. */
const YEARS = { back: 1, ahead: 10 };
/** Days of one event, and of all of them, at the most: an event that repeats each second is no day. */
const MOST = 20_000;

/** The days that the events of an iCalendar file (RFC 5545) lie on, as `2026-12-25`, in order. Throws a fault. */
export function daysOfICalendar(text: string, now = new Date()): string[] {
  const from = new Date(Date.UTC(now.getUTCFullYear() - YEARS.back, 0, 1));
  const to = new Date(Date.UTC(now.getUTCFullYear() + YEARS.ahead + 1, 0, 1));
  const days = new Set<string>();
  for (const event of eventsOf(text)) {
    const lasts = Math.max(1, Math.ceil(event.duration.toSeconds() / 86_400));
    const starts = event.iterator();
    for (let looks = 0; looks < MOST; looks++) {
      const start = starts.next();
      if (!start) break;
      const first = Date.UTC(start.year, start.month - 1, start.day);
      if (first >= to.getTime()) break;
      for (let i = 0; i < Math.min(lasts, 366); i++) {
        const day = first + i * 86_400_000;
        if (day >= from.getTime() && day < to.getTime()) days.add(new Date(day).toISOString().slice(0, 10));
      }
      if (days.size > MOST) throw refused(`The calendar has more than ${MOST.toLocaleString('en-GB')} days.`);
    }
  }
  return [...days].sort();
}
function eventsOf(text: string): ICAL.Event[] {
  let parts: ICAL.Component[];
  try {
    parts = new ICAL.Component(ICAL.parse(text) as unknown[]).getAllSubcomponents('vevent');
  } catch (error) {
    throw refused(`This is not an iCalendar file: ${(error as Error).message}`);
  }
  const events = parts.map((part) => new ICAL.Event(part)).filter((e) => e.startDate !== null);
  if (events.length === 0) throw refused('The iCalendar file has no events with a date.');
  // What was moved or left out of a series is told by its own entry.
  return events.filter((e) => !e.isRecurrenceException());
}
