import { Temporal } from 'temporal-polyfill';
import * as T from '../fields/dates.ts';
import { quoted } from '../words.ts';
import type { RuleContext } from './context.ts';

const { Timestamp } = T;
type Stamp = T.Timestamp;

/** Local times of time zones. */

function instantOf(t: Stamp): Temporal.Instant {
  return Temporal.Instant.fromEpochNanoseconds((BigInt(t.day) * BigInt(T.DAY_MICROS) + BigInt(t.micros)) * 1000n);
}
function stampOfPlain(p: Temporal.PlainDateTime): Stamp {
  return new Timestamp(
    T.dayOf(p.year, p.month, p.day),
    ((p.hour * 60 + p.minute) * 60 + p.second) * 1e6 + p.millisecond * 1000 + p.microsecond,
  );
}
const zones = new Map<string, string | null>();
/** The zone's proper name, or null when there is none. Names only: abbreviations and offsets read differently elsewhere. */
function zoneName(name: string): string | null {
  let known = zones.get(name);
  if (known === undefined) {
    try {
      if (!/^(utc|[a-z_]+\/[a-z_+\-0-9/]+)$/i.test(name) || /^etc\//i.test(name)) throw new Error('not a region');
      known = Temporal.Instant.fromEpochMilliseconds(0).toZonedDateTimeISO(name).timeZoneId;
    } catch {
      known = null;
    }
    if (zones.size > 500) zones.clear();
    zones.set(name, known);
  }
  return known;
}
/**
 * Far years follow today's rules of their zone, but the zone data of JavaScript end in 2037. Such rules go by weekdays from
 * March on, so a far year is looked up in a near one whose March begins on the same weekday: days to add.
 */
function nearYearShift(year: number): number {
  if (year <= 2037) return 0;
  const march = T.dayOf(year, 3, 1);
  for (let y = 2027; y <= 2037; y++)
    if (T.isoWeekday(T.dayOf(y, 3, 1)) === T.isoWeekday(march)) return T.dayOf(y, 3, 1) - march;
  return 0;
}

/** Local time in a zone to the moment in UTC; in a gap or an overlap the standard time counts, as in PostgreSQL. */
export function localToInstant(zone: string, t: Stamp, ctx: RuleContext): Stamp | null {
  if (!Number.isFinite(t.day)) return t;
  const name = zoneName(zone);
  if (name === null) return ctx.fail(`There is no time zone ${quoted(zone)}; use a name such as Europe/London or UTC.`);
  const shift = nearYearShift(T.civilOf(t.day).year);
  const c = T.civilOf(t.day + shift);
  try {
    const plain = new Temporal.PlainDateTime(
      c.year,
      c.month,
      c.day,
      Math.floor(t.micros / 36e8),
      Math.floor(t.micros / 6e7) % 60,
      Math.floor(t.micros / 1e6) % 60,
      Math.floor(t.micros / 1000) % 1000,
      t.micros % 1000,
    );
    // Before a gap "later", in an overlap "later": both are the reading with standard time.
    const nanos = plain.toZonedDateTime(name, {
      disambiguation: isGap(plain, name) ? 'compatible' : 'later',
    }).epochNanoseconds;
    const micros = nanos / 1000n;
    const day = Number(micros / BigInt(T.DAY_MICROS)) - (micros % BigInt(T.DAY_MICROS) < 0n ? 1 : 0);
    return new Timestamp(day - shift, Number(micros - BigInt(day) * BigInt(T.DAY_MICROS)));
  } catch {
    return ctx.fail('The time is out of range for a time zone.');
  }
}
function isGap(plain: Temporal.PlainDateTime, zone: string): boolean {
  const early = plain.toZonedDateTime(zone, { disambiguation: 'earlier' });
  const late = plain.toZonedDateTime(zone, { disambiguation: 'later' });
  return early.epochNanoseconds !== late.epochNanoseconds && !early.toPlainDateTime().equals(plain);
}
export function instantToLocal(zone: string, t: Stamp, ctx: RuleContext): Stamp | null {
  if (!Number.isFinite(t.day)) return t;
  const name = zoneName(zone);
  if (name === null) return ctx.fail(`There is no time zone ${quoted(zone)}; use a name such as Europe/London or UTC.`);
  try {
    const shift = nearYearShift(T.civilOf(t.day).year);
    const local = stampOfPlain(
      instantOf(new Timestamp(t.day + shift, t.micros))
        .toZonedDateTimeISO(name)
        .toPlainDateTime(),
    );
    return new Timestamp(local.day - shift, local.micros);
  } catch {
    return ctx.fail('The time is out of range for a time zone.');
  }
}
