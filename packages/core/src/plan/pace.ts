import { refused } from '../faults.ts';
import { quoted } from '../words.ts';

/** How fast something may go: so many in a time. */
export interface Pace {
  readonly count: number;
  readonly per: 'second' | 'minute' | 'hour';
}

const MILLIS = { second: 1000, minute: 60_000, hour: 3_600_000 } as const;
const EXAMPLE = '80 a minute';

/** Reads `80 a minute`, `2 a second`, `1,500 an hour`, `5/s`. Throws a fault with a sentence. */
export function readPace(text: string): Pace {
  const found =
    /^(\d{1,3}(?:,\d{3})+|\d+(?:\.\d+)?)\s*(?:an?\s+|per\s+|\/\s*)(s|sec|second|m|min|minute|h|hour)s?$/i.exec(
      text.trim(),
    );
  if (!found) throw refused(`${quoted(text)} is no pace; write one such as ${EXAMPLE}, 2 a second or 500 an hour.`);
  const count = Number(found[1]!.replace(/,/g, ''));
  const letter = found[2]!.charAt(0).toLowerCase();
  const per = letter === 's' ? 'second' : letter === 'm' ? 'minute' : 'hour';
  const pace: Pace = { count, per };
  const apart = millisApart(pace);
  if (!(apart >= 0.005 && apart <= 24 * MILLIS.hour))
    throw refused(`${quoted(text)} is no pace that can be kept; write one such as ${EXAMPLE}.`);
  return pace;
}
/** Milliseconds from one to the next. */
export const millisApart = ({ count, per }: Pace): number => MILLIS[per] / count;
/** “80 requests a minute”. */
export const paceWords = ({ count, per }: Pace, one: string): string =>
  `${count.toLocaleString('en-GB')} ${count === 1 ? one : `${one}s`} ${per === 'hour' ? 'an' : 'a'} ${per}`;
