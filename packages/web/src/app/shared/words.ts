import { Pipe, type PipeTransform } from '@angular/core';
import { HABITS } from './locale';

/** Figures, times and states as people read them. */

let figures: Intl.NumberFormat | undefined;
export const figure = (n: number): string => (figures ??= new Intl.NumberFormat(HABITS.figures)).format(n);

/** With so many places. */
export const decimal = (n: number, places = 1): string =>
  n.toLocaleString(HABITS.figures, { minimumFractionDigits: places, maximumFractionDigits: places });

/** A way to write times, made when it is first asked for: together they take longer than the first page's own code. */
function written(options: Intl.DateTimeFormatOptions): (time: Date) => string {
  let format: Intl.DateTimeFormat | undefined;
  return (time) => (format ??= new Intl.DateTimeFormat(HABITS.dates, options)).format(time);
}
/** “Sunday 29 November”. */
export const longDay = written({ weekday: 'long', day: 'numeric', month: 'long' });
const day = written({ weekday: 'short', day: 'numeric', month: 'short' });
const dayOfYear = written({ day: 'numeric', month: 'short' });
const clock = written({ hour: '2-digit', minute: '2-digit', second: '2-digit' });
const minute = written({ hour: '2-digit', minute: '2-digit' });
const full = written({ dateStyle: 'long', timeStyle: 'long' });

/** “today 02:00:09”, “yesterday 17:40:00”, “tomorrow 02:50:00”, “Sun 22 Nov 02:00:11”. */
export function timeWords(iso: string, now = new Date()): string {
  const time = new Date(iso);
  // Not so many milliseconds away: a day on which the clocks change has 23 or 25 hours.
  const isDay = (away: number): boolean =>
    time.toDateString() === new Date(now.getFullYear(), now.getMonth(), now.getDate() + away).toDateString();
  const hour = clock(time);
  if (isDay(0)) return $localize`today ${hour}`;
  if (isDay(-1)) return $localize`yesterday ${hour}`;
  if (isDay(1)) return $localize`tomorrow ${hour}`;
  const year = time.getFullYear() === now.getFullYear() ? '' : ` ${time.getFullYear()}`;
  return `${day(time)}${year} ${hour}`;
}
/** “12 Nov”, with the year where it is another one. */
export function shortDay(iso: string, now = new Date()): string {
  const time = new Date(iso);
  const year = time.getFullYear() === now.getFullYear() ? '' : ` ${time.getFullYear()}`;
  return `${dayOfYear(time)}${year}`;
}
/** “02:00”, or “02:00 AM” where that is usual. */
export const minuteWords = (iso: string): string => minute(new Date(iso));
export const clockWords = (iso: string): string => clock(new Date(iso));
export const fullTime = (iso: string): string => full(new Date(iso));

export function durationWords(millis: number): string {
  if (millis < 1000) return $localize`${Math.max(0, Math.round(millis))} ms`;
  if (millis < 100_000) return `${decimal(millis / 1000, millis < 10_000 ? 1 : 0)} s`;
  const minutes = Math.round(millis / 60_000);
  return minutes < 120 ? $localize`${minutes} min` : `${Math.round(minutes / 60)} h`;
}

export function bytesWords(bytes: number): string {
  if (bytes < 1000) return `${bytes} B`;
  if (bytes < 1_000_000) return $localize`${decimal(bytes / 1000)} kB`;
  if (bytes < 1_000_000_000) return $localize`${decimal(bytes / 1_000_000)} MB`;
  return $localize`${decimal(bytes / 1_000_000_000)} GB`;
}

const NUMBER_WORDS = [
  $localize`no`,
  $localize`one`,
  $localize`two`,
  $localize`three`,
  $localize`four`,
  $localize`five`,
  $localize`six`,
  $localize`seven`,
  $localize`eight`,
  $localize`nine`,
  $localize`ten`,
  $localize`eleven`,
  $localize`twelve`,
];
/** Small counts in words, as in running text. */
export const numberWords = (n: number): string => NUMBER_WORDS[n] ?? figure(n);
export function inWords(n: number, one: string, many = `${one}s`): string {
  return `${numberWords(n)} ${n === 1 ? one : many}`;
}
/** “phone, email and 3 more”: the first ones of a list that may be long. */
export function firstOf(list: readonly string[], most: number, between = ', '): string {
  const rest = list.length > most ? $localize` and ${numberWords(list.length - most)} more` : '';
  return `${list.slice(0, most).join(between)}${rest}`;
}
export function capital(text: string): string {
  return text.charAt(0).toUpperCase() + text.slice(1);
}

@Pipe({ name: 'figure' })
export class FigurePipe implements PipeTransform {
  transform(n: number | null | undefined): string {
    return n === null || n === undefined ? '' : figure(n);
  }
}
@Pipe({ name: 'time' })
export class TimePipe implements PipeTransform {
  transform(iso: string | null): string {
    return iso === null ? '' : timeWords(iso);
  }
}
@Pipe({ name: 'fullTime' })
export class FullTimePipe implements PipeTransform {
  transform(iso: string | null): string {
    return iso === null ? '' : fullTime(iso);
  }
}
