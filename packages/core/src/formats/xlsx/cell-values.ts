/** Spreadsheets keep 15 digits; what is stored beyond them is the noise of binary fractions. Never in scientific notation. */
export function plainNumber(number: number): string {
  if (Number.isSafeInteger(number)) return String(number);
  const [, sign, first, rest, exponent] = /^(-?)(\d)(?:\.(\d+))?e([+-]\d+)$/.exec(number.toExponential(14))!;
  const digits = `${first}${rest ?? ''}`.replace(/0+$/, '');
  const point = Number(exponent) + 1;
  if (digits === '') return '0';
  if (point <= 0) return `${sign}0.${'0'.repeat(-point)}${digits}`;
  if (point >= digits.length) return `${sign}${digits}${'0'.repeat(point - digits.length)}`;
  return `${sign}${digits.slice(0, point)}.${digits.slice(point)}`;
}

const DAY = 86_400_000;
const two = (n: number): string => String(n).padStart(2, '0');
/** `HH:MM:SS`, with milliseconds where there are some. */
function clock(millis: number): string {
  const rest = millis % 1000;
  const seconds = Math.floor(millis / 1000);
  const time = `${two(Math.floor(seconds / 3600))}:${two(Math.floor(seconds / 60) % 60)}:${two(seconds % 60)}`;
  return rest === 0 ? time : `${time}.${String(rest).padStart(3, '0')}`;
}

/** A serial day number as ISO 8601, to the millisecond. The 1900 system counts a 29 February 1900. */
export function serialText(serial: number, kind: 'date' | 'time' | 'timestamp', date1904: boolean): string {
  let days = Math.floor(serial);
  let millis = Math.round((serial - days) * DAY);
  if (millis === DAY) {
    days++;
    millis = 0;
  }
  const time = clock(millis);
  if (kind === 'time' && days <= 0 && serial >= 0) return time;
  // A day that never was is told as it is shown, and refused where a date is wanted.
  if (!date1904 && days === 60) return kind === 'date' && millis === 0 ? '1900-02-29' : `1900-02-29 ${time}`;
  const unix = date1904 ? days - 24107 : days - (days > 59 ? 25569 : 25568);
  const date = new Date(unix * DAY);
  if (Number.isNaN(date.getTime()) || date.getUTCFullYear() > 9999 || serial < 0) return plainNumber(serial);
  const day = date.toISOString().slice(0, 10);
  return kind === 'date' && millis === 0 ? day : `${day} ${time}`;
}

/** Days that have passed, as hours, minutes and seconds: 1.5 is `36:00:00`. */
export function durationText(days: number): string {
  const millis = Math.round(Math.abs(days) * DAY);
  if (!Number.isSafeInteger(millis)) return plainNumber(days);
  return `${days < 0 && millis > 0 ? '-' : ''}${clock(millis)}`;
}
