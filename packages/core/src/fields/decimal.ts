/**
 * Exact decimals with PostgreSQL's `numeric` behaviour (src/backend/utils/adt/numeric.c is the reference for scales).
 * The value is `units / 10^scale`; `units` is a number while it is a safe integer and a bigint beyond, which keeps the
 * everyday case fast. NaN and the infinities are held as such in `units`, with scale 0.
 */
export class Decimal {
  constructor(
    readonly units: number | bigint,
    readonly scale: number,
  ) {}
}

const MAX_SCALE = 16383;
export const MAX_DISPLAY_SCALE = 1000;
export const MIN_SIGNIFICANT_DIGITS = 16;
const MAX_WHOLE_DIGITS = 131072;
const POWERS = Array.from({ length: 16 }, (_, n) => 10 ** n);
const SAFE = Number.MAX_SAFE_INTEGER;

export const ZERO = new Decimal(0, 0);
export const NAN = new Decimal(NaN, 0);

const BIG_POWERS = Array.from({ length: 64 }, (_, n) => 10n ** BigInt(n));
export function big10(n: number): bigint {
  return n < BIG_POWERS.length ? BIG_POWERS[n]! : 10n ** BigInt(n);
}
export function make(units: bigint, scale: number): Decimal {
  return new Decimal(units <= BigInt(SAFE) && units >= -BigInt(SAFE) ? Number(units) : units, scale);
}
export function isSpecial(d: Decimal): boolean {
  return typeof d.units === 'number' && !Number.isFinite(d.units);
}
export function fromInteger(n: number | bigint): Decimal {
  return typeof n === 'bigint' ? make(n, 0) : new Decimal(n, 0);
}

const PLAIN = /^[+-]?(?:\d(?:_?\d)*(?:\.(?:\d(?:_?\d)*)?)?|\.\d(?:_?\d)*)(?:[eE]([+-]?\d(?:_?\d)*))?$/;
const RADIX = /^([+-]?)0([xX](?:_?[0-9a-fA-F])+|[oO](?:_?[0-7])+|[bB](?:_?[01])+)$/;

/** Reads what PostgreSQL's numeric input reads (white space around, exponent, `_` between digits, 0x, NaN, Infinity). Null when it is no number. */
export function parseDecimal(input: string): Decimal | null {
  const fast = parseShort(input);
  if (fast !== null) return fast;
  const text = input.replace(/^[ \t\n\v\f\r]+|[ \t\n\v\f\r]+$/g, '');
  const match = PLAIN.exec(text);
  if (match === null) return parseOdd(text);
  const clean = text.replace(/_/g, '');
  const exponentAt = clean.search(/[eE]/);
  const exponent = exponentAt < 0 ? 0 : Number(clean.slice(exponentAt + 1));
  const mantissa = exponentAt < 0 ? clean : clean.slice(0, exponentAt);
  const dot = mantissa.indexOf('.');
  const scale = (dot < 0 ? 0 : mantissa.length - dot - 1) - exponent;
  const digits = mantissa.replace('.', '').replace('+', '');
  if (scale > MAX_SCALE || digits.length - scale > MAX_WHOLE_DIGITS) return null;
  const units = BigInt(digits);
  return scale >= 0 ? make(units, scale) : make(units * big10(-scale), 0);
}

/** The common case: an optional minus, up to 15 digits, perhaps a point. */
function parseShort(text: string): Decimal | null {
  const length = text.length;
  if (length === 0 || length > 16) return null;
  let at = 0;
  const negative = text.charCodeAt(0) === 45;
  if (negative) at = 1;
  let units = 0;
  let scale = -1;
  let digits = 0;
  for (; at < length; at++) {
    const code = text.charCodeAt(at);
    if (code >= 48 && code <= 57) {
      units = units * 10 + (code - 48);
      digits++;
      if (scale >= 0) scale++;
    } else if (code === 46 && scale < 0) scale = 0;
    else return null;
  }
  if (digits === 0 || digits > 15) return null;
  return new Decimal(negative && units !== 0 ? -units : units, scale < 0 ? 0 : scale);
}

function parseOdd(text: string): Decimal | null {
  if (/^nan$/i.test(text)) return NAN;
  const infinite = /^([+-]?)inf(inity)?$/i.exec(text);
  if (infinite) return new Decimal(infinite[1] === '-' ? -Infinity : Infinity, 0);
  const radix = RADIX.exec(text);
  if (radix) {
    const units = BigInt(`0${radix[2]!.replace(/_/g, '').toLowerCase()}`);
    return make(radix[1] === '-' ? -units : units, 0);
  }
  return null;
}

/** As PostgreSQL prints it, trailing zeros of the scale included. */
export function decimalText(d: Decimal): string {
  const { units, scale } = d;
  if (scale === 0) return String(units);
  const negative = units < 0;
  const digits = (negative ? -units : units).toString().padStart(scale + 1, '0');
  const cut = digits.length - scale;
  return `${negative ? '-' : ''}${digits.slice(0, cut)}.${digits.slice(cut)}`;
}

/** Units brought to another, larger scale. */
function rescaled(d: Decimal, scale: number): number | bigint {
  const up = scale - d.scale;
  if (up === 0) return d.units;
  if (typeof d.units === 'number' && up < 16) {
    const scaled = d.units * POWERS[up]!;
    if (scaled <= SAFE && scaled >= -SAFE) return scaled;
  }
  return BigInt(d.units) * big10(up);
}

export function compareDecimals(a: Decimal, b: Decimal): number {
  if (isSpecial(a) || isSpecial(b)) {
    const x = Number(a.units);
    const y = Number(b.units);
    if (Number.isNaN(x) || Number.isNaN(y)) return Number.isNaN(x) ? (Number.isNaN(y) ? 0 : 1) : -1;
    return x < y ? -1 : x > y ? 1 : 0;
  }
  const scale = a.scale > b.scale ? a.scale : b.scale;
  const x = rescaled(a, scale);
  const y = rescaled(b, scale);
  return x < y ? -1 : x > y ? 1 : 0;
}

export function addDecimals(a: Decimal, b: Decimal): Decimal {
  if (isSpecial(a) || isSpecial(b)) return new Decimal(Number(a.units) + Number(b.units), 0);
  const scale = a.scale > b.scale ? a.scale : b.scale;
  const x = rescaled(a, scale);
  const y = rescaled(b, scale);
  if (typeof x === 'number' && typeof y === 'number') {
    const sum = x + y;
    if (sum <= SAFE && sum >= -SAFE) return new Decimal(sum, scale);
  }
  return make(BigInt(x) + BigInt(y), scale);
}

export function negateDecimal(a: Decimal): Decimal {
  return a.units === 0 ? a : new Decimal(-a.units, a.scale);
}
export function subtractDecimals(a: Decimal, b: Decimal): Decimal {
  return addDecimals(a, negateDecimal(b));
}
export function absoluteDecimal(a: Decimal): Decimal {
  return a.units < 0 ? negateDecimal(a) : a;
}
export function signOfDecimal(a: Decimal): Decimal {
  if (Number.isNaN(a.units as number)) return NAN;
  return new Decimal(a.units > 0 ? 1 : a.units < 0 ? -1 : 0, 0);
}

export function multiplyDecimals(a: Decimal, b: Decimal): Decimal {
  if (isSpecial(a) || isSpecial(b)) return new Decimal(Number(a.units) * Number(b.units), 0);
  const scale = a.scale + b.scale;
  if (typeof a.units === 'number' && typeof b.units === 'number') {
    const product = a.units * b.units;
    if (product <= SAFE && product >= -SAFE) return new Decimal(product === 0 ? 0 : product, scale);
  }
  const exact = make(BigInt(a.units) * BigInt(b.units), scale);
  return scale > MAX_SCALE ? roundDecimal(exact, MAX_SCALE) : exact;
}

/** Weight (in groups of four digits) and first such group, as numeric.c keeps them. */
function leadingGroup(d: Decimal): { weight: number; first: number } {
  if (d.units == 0) return { weight: 0, first: 0 };
  if (typeof d.units === 'number') {
    const size = Math.abs(d.units);
    let length = 1;
    while (length < 16 && size >= POWERS[length]!) length++;
    const top = length - 1 - d.scale;
    const weight = Math.floor(top / 4);
    const taken = top - weight * 4 + 1;
    const first = length > taken ? Math.floor(size / POWERS[length - taken]!) : size * POWERS[taken - length]!;
    return { weight, first };
  }
  const digits = (d.units < 0 ? -d.units : d.units).toString();
  const top = digits.length - 1 - d.scale;
  const weight = Math.floor(top / 4);
  const taken = top - weight * 4 + 1;
  return { weight, first: Number(digits.slice(0, taken).padEnd(taken, '0')) };
}

function divisionScale(a: Decimal, b: Decimal): number {
  const x = leadingGroup(a);
  const y = leadingGroup(b);
  let weight = x.weight - y.weight;
  if (x.first <= y.first) weight--;
  return Math.min(Math.max(MIN_SIGNIFICANT_DIGITS - weight * 4, a.scale, b.scale, 0), MAX_DISPLAY_SCALE);
}

/** Quotient at PostgreSQL's scale, rounded half away from zero. Null for a division by zero. */
export function divideDecimals(a: Decimal, b: Decimal): Decimal | null {
  if (isSpecial(a) || isSpecial(b)) {
    if (Number.isNaN(Number(a.units)) || Number.isNaN(Number(b.units))) return NAN;
    if (b.units == 0) return null;
    if (isSpecial(b)) return isSpecial(a) ? NAN : ZERO;
    return new Decimal(Number(a.units) * (b.units < 0 ? -1 : 1), 0);
  }
  if (b.units == 0) return null;
  const scale = divisionScale(a, b);
  const shift = scale + b.scale - a.scale;
  if (shift >= 0 && typeof a.units === 'number' && typeof b.units === 'number' && a.units % b.units === 0) {
    // It goes in exactly: no long division.
    const whole = a.units / b.units;
    return shift < 16 && Math.abs(whole) <= SAFE / POWERS[shift]!
      ? new Decimal(whole === 0 ? 0 : whole * POWERS[shift]!, scale)
      : make(BigInt(whole) * big10(shift), scale);
  }
  let top = BigInt(a.units);
  let bottom = BigInt(b.units);
  if (shift >= 0) top *= big10(shift);
  else bottom *= big10(-shift);
  return make(roundedQuotient(top, bottom), scale);
}

export function roundedQuotient(top: bigint, bottom: bigint): bigint {
  const negative = top < 0n !== bottom < 0n;
  const t = top < 0n ? -top : top;
  const b = bottom < 0n ? -bottom : bottom;
  let q = t / b;
  if ((t % b) * 2n >= b) q += 1n;
  return negative ? -q : q;
}

/** Remainder with the sign of the dividend. Null for a division by zero. */
export function remainderOfDecimals(a: Decimal, b: Decimal): Decimal | null {
  if (isSpecial(a) || isSpecial(b)) {
    if (Number.isNaN(Number(a.units)) || Number.isNaN(Number(b.units))) return NAN;
    if (b.units == 0) return null;
    return isSpecial(a) ? NAN : a;
  }
  if (b.units == 0) return null;
  const scale = Math.max(a.scale, b.scale);
  const rest = make(BigInt(rescaled(a, scale)) % BigInt(rescaled(b, scale)), scale);
  return rest;
}

type Rounding = 'round' | 'trunc' | 'ceil' | 'floor';

/** Brought to `scale` places (negative: tens, hundreds …); the result's scale is never below zero. */
export function roundDecimal(d: Decimal, places: number, how: Rounding = 'round'): Decimal {
  if (isSpecial(d)) return d;
  const shown = Math.max(places, 0);
  if (places >= d.scale)
    return places === d.scale ? d : new Decimal(rescaled(d, Math.min(places, MAX_SCALE)), Math.min(places, MAX_SCALE));
  const drop = d.scale - places;
  if (typeof d.units === 'number' && drop < 16 && places >= 0) {
    const power = POWERS[drop]!;
    const rest = d.units % power;
    let whole = (d.units - rest) / power;
    if (how === 'round' ? Math.abs(rest) * 2 >= power : how === 'ceil' ? rest > 0 : how === 'floor' && rest < 0)
      whole += d.units < 0 ? -1 : 1;
    return new Decimal(whole === 0 ? 0 : whole, shown);
  }
  const power = big10(drop);
  const units = BigInt(d.units);
  const rest = units % power;
  let whole = units / power;
  const size = rest < 0n ? -rest : rest;
  if (how === 'round' ? size * 2n >= power : how === 'ceil' ? rest > 0n : how === 'floor' && rest < 0n)
    whole += units < 0n ? -1n : 1n;
  return places >= 0 ? make(whole, shown) : make(whole * big10(-places), 0);
}

/** Square root at PostgreSQL's scale. Null for a negative number. */
export function squareRootOfDecimal(d: Decimal): Decimal | null {
  if (Number.isNaN(d.units as number)) return d;
  if (d.units < 0) return null;
  if (isSpecial(d)) return d;
  const { weight } = leadingGroup(d);
  const whole = weight >= 0 ? Math.trunc((weight * 4) / 2) + 1 : 1 - Math.trunc((1 - weight * 4) / 2);
  const scale = Math.min(Math.max(MIN_SIGNIFICANT_DIGITS - whole, d.scale, 0), MAX_DISPLAY_SCALE);
  // One more digit than wanted, so that the last one can be rounded.
  const shift = 2 * (scale + 1) - d.scale;
  const scaled = shift >= 0 ? BigInt(d.units) * big10(shift) : BigInt(d.units) / big10(-shift);
  return roundDecimal(make(integerRoot(scaled), scale + 1), scale);
}

function integerRoot(n: bigint): bigint {
  if (n < 2n) return n;
  let x = 1n << BigInt((n.toString(2).length + 1) >> 1);
  for (;;) {
    const y = (x + n / x) >> 1n;
    if (y >= x) return x;
    x = y;
  }
}

/** Rounded to scale; null when more than precision - scale whole digits remain (numeric field overflow). */
export function fitDecimal(d: Decimal, precision: number, scale: number): Decimal | null {
  if (Number.isNaN(d.units as number)) return d;
  if (isSpecial(d)) return null;
  const rounded = roundDecimal(d, scale);
  const size = rounded.units < 0 ? -rounded.units : rounded.units;
  if (precision < 16 ? size >= POWERS[precision]! : BigInt(size) >= big10(precision)) return null;
  return rounded;
}

/** The nearest integer (half away from zero) as number or, beyond 2^53, bigint. Null for NaN and infinities. */
export function integerOfDecimal(d: Decimal): number | bigint | null {
  if (isSpecial(d)) return null;
  if (typeof d.units === 'bigint' && d.scale < 23) {
    // A double is near enough, unless it lies close to a half.
    const near = Number(d.units) / 10 ** d.scale;
    const whole = Math.round(near);
    if (Math.abs(near) < 2 ** 40 && Math.abs(near - whole) < 0.49) return whole + 0;
  }
  return roundDecimal(d, 0).units;
}
export function numberOfDecimal(d: Decimal): number {
  return d.scale === 0 ? Number(d.units) : Number(decimalText(d));
}
/** The double nearest to it; null beyond what one can hold, on either side, as PostgreSQL refuses it (float8in_internal). */
export function floatOfDecimal(d: Decimal): number | null {
  const number = numberOfDecimal(d);
  if (isSpecial(d)) return number;
  return Number.isFinite(number) && (number !== 0 || BigInt(d.units) === 0n) ? number : null;
}
/** A key under which equal decimals of any scale meet. */
export function decimalKey(d: Decimal): string {
  const text = decimalText(d);
  return text.includes('.') ? text.replace(/\.?0+$/, '') : text;
}
