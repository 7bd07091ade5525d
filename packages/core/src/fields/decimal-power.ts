import {
  big10,
  compareDecimals,
  Decimal,
  decimalText,
  fromInteger,
  isSpecial,
  make,
  MAX_DISPLAY_SCALE,
  MIN_SIGNIFICANT_DIGITS,
  NAN,
  numberOfDecimal,
  roundedQuotient,
  ZERO,
} from './decimal.ts';

/**
 * Powers, logarithms and exponentials of exact decimals at PostgreSQL's scales (src/backend/utils/adt/numeric.c: power_var,
 * power_var_int, ln_var, exp_var, log_var). PostgreSQL carries eight digits more than it shows and rounds; here some more
 * are carried, so that the digits shown are the same.
 */
export type Impossible = 'zero to a negative power' | 'complex' | 'overflow' | 'not positive';

const LOG10_E = 0.434294481903252;
const MAX_RESULT_SCALE = 2000;
/** Decimal digits that a weight can reach: (2^15 groups of four). */
const MAX_DIGITS = 32768 * 4;
const GUARD = 15;
const ONE = fromInteger(1);
const POINT_NINE = new Decimal(9, 1);
const ONE_POINT_ONE = new Decimal(11, 1);

export function powerOfDecimals(base: Decimal, exponent: Decimal): Decimal | Impossible {
  if (Number.isNaN(Number(base.units))) return exponent.units == 0 && !isSpecial(exponent) ? ONE : NAN;
  if (Number.isNaN(Number(exponent.units))) return compareDecimals(base, ONE) === 0 ? ONE : NAN;
  if (base.units == 0 && exponent.units < 0) return 'zero to a negative power';
  if (base.units < 0 && !isWhole(exponent)) return 'complex';
  if (isSpecial(base) || isSpecial(exponent)) return powerOfInfinity(base, exponent);
  const whole = isWhole(exponent) ? BigInt(decimalText(exponent).replace(/\..*/, '')) : null;
  if (whole !== null && whole >= -2147483648n && whole <= 2147483647n)
    return wholePower(base, Number(whole), exponent.scale);
  if (base.units == 0) return new Decimal(0, MIN_SIGNIFICANT_DIGITS);
  const positive = base.units < 0 ? make(-BigInt(base.units), base.scale) : base;
  const found = broken(positive, exponent);
  const odd = whole !== null && whole % 2n !== 0n;
  return typeof found === 'string' || !(base.units < 0 && odd) ? found : make(-BigInt(found.units), found.scale);
}
function powerOfInfinity(base: Decimal, exponent: Decimal): Decimal {
  const infinite = new Decimal(Infinity, 0);
  if (compareDecimals(base, ONE) === 0 || exponent.units == 0) return ONE;
  if (base.units == 0) return ZERO;
  if (isSpecial(exponent)) {
    if (!isSpecial(base)) {
      const size = base.units < 0 ? make(-BigInt(base.units), base.scale) : base;
      const order = compareDecimals(size, ONE);
      if (order === 0) return ONE;
      return order > 0 === exponent.units > 0 ? infinite : ZERO;
    }
    return exponent.units > 0 ? infinite : ZERO;
  }
  if (exponent.units < 0) return ZERO;
  const odd = BigInt(decimalText(exponent).replace(/\..*/, '')) % 2n !== 0n;
  return base.units < 0 && odd ? new Decimal(-Infinity, 0) : infinite;
}

/** power_var_int */
function wholePower(base: Decimal, exponent: number, exponentScale: number): Decimal | Impossible {
  const estimate = base.units == 0 ? 0 : exponent * log10Of(base);
  if (estimate > MAX_DIGITS) return 'overflow';
  if (estimate + 1 < -MAX_DISPLAY_SCALE) return new Decimal(0, MAX_DISPLAY_SCALE);
  const scale = within(MIN_SIGNIFICANT_DIGITS - Math.trunc(estimate), base.scale, exponentScale);
  if (exponent === 0) return rescaledTo(1n, 0, scale);
  if (exponent === 1) return rescaledTo(BigInt(base.units), base.scale, scale);
  if (base.units == 0) return new Decimal(0, scale);
  const digits = Math.max(1 + scale + Math.trunc(estimate), 1) + Math.trunc(Math.log(Math.abs(exponent))) + 8 + GUARD;
  // A number as units × 10^-places, cut to so many digits after each step.
  let units = 1n;
  let places = 0;
  let square = BigInt(base.units);
  let squarePlaces = base.scale;
  for (let left = Math.abs(exponent); left > 0; left = Math.floor(left / 2)) {
    if (left % 2 === 1) [units, places] = cut(units * square, places + squarePlaces, digits);
    if (left > 1) [square, squarePlaces] = cut(square * square, squarePlaces * 2, digits);
  }
  if (exponent > 0) return bounded(rescaledTo(units, places, scale));
  // 1 ÷ (units × 10^-places) at the scale wanted.
  const shift = scale + places;
  const top = shift >= 0 ? big10(shift) : 1n;
  return bounded(make(roundedQuotient(top, shift >= 0 ? units : units * big10(-shift)), scale));
}
function cut(units: bigint, places: number, digits: number): [bigint, number] {
  const size = (units < 0n ? -units : units).toString().length;
  const drop = size - digits;
  return drop > 0 ? [units / big10(drop), places - drop] : [units, places];
}

/** power_var, for an exponent that is no whole number of 32 bits */
function broken(base: Decimal, exponent: Decimal): Decimal | Impossible {
  const weight = lnWeight(base);
  // Rounded as PostgreSQL's first, rough calculation is: where it lies next to a whole number, the scale follows it.
  const low = Math.max(8 - weight, 0);
  const lnBase = rescaledTo(lnScaled(base, low + GUARD), low + GUARD, low);
  const lnPower = BigInt(lnBase.units) * BigInt(exponent.units);
  const rough = numberOfDecimal(rescaledTo(lnPower, low + exponent.scale, low));
  if (Math.abs(rough) > MAX_RESULT_SCALE * 3.01) return rough > 0 ? 'overflow' : new Decimal(0, MAX_DISPLAY_SCALE);
  const value = Math.trunc(rough * LOG10_E);
  const scale = within(MIN_SIGNIFICANT_DIGITS - value, base.scale, exponent.scale);
  if (Math.abs(rough) >= MAX_RESULT_SCALE * 3) return rough > 0 ? 'overflow' : new Decimal(0, scale);
  const places = Math.max(scale + value, 0) - weight + 8 + Math.max(0, magnitude(exponent)) + GUARD;
  const kept = Math.max(places, GUARD);
  const product = BigInt(exponent.units) * lnScaled(base, kept);
  return bounded(expScaled(product, kept + exponent.scale, scale));
}

export function lnOfDecimal(d: Decimal): Decimal | Impossible {
  if (Number.isNaN(Number(d.units))) return d;
  if (d.units <= 0) return 'not positive';
  if (isSpecial(d)) return d;
  const scale = within(MIN_SIGNIFICANT_DIGITS - lnWeight(d), d.scale, 0);
  return rescaledTo(lnScaled(d, scale + GUARD), scale + GUARD, scale);
}
/** log(base, number) */
export function logOfDecimals(base: Decimal, d: Decimal): Decimal | Impossible {
  if (Number.isNaN(Number(base.units)) || Number.isNaN(Number(d.units))) return NAN;
  if (base.units <= 0 || d.units <= 0) return 'not positive';
  if (isSpecial(base) || isSpecial(d)) {
    if (isSpecial(base) && isSpecial(d)) return NAN;
    return isSpecial(base) ? ZERO : d;
  }
  const weight = lnWeight(d) - lnWeight(base);
  const scale = within(MIN_SIGNIFICANT_DIGITS - weight, base.scale, d.scale);
  const places = scale + GUARD + Math.abs(lnWeight(base)) + Math.abs(lnWeight(d));
  const bottom = lnScaled(base, places);
  if (bottom === 0n) return 'zero to a negative power';
  return make(roundedQuotient(lnScaled(d, places) * big10(scale), bottom), scale);
}
export function expOfDecimal(d: Decimal): Decimal | Impossible {
  if (isSpecial(d)) return d.units === -Infinity ? ZERO : d;
  const value = Math.max(-MAX_RESULT_SCALE, Math.min(MAX_RESULT_SCALE, numberOfDecimal(d) * LOG10_E));
  const scale = within(MIN_SIGNIFICANT_DIGITS - Math.trunc(value), d.scale, 0);
  if (Math.abs(numberOfDecimal(d)) >= MAX_RESULT_SCALE * 3) return d.units > 0 ? 'overflow' : new Decimal(0, scale);
  return bounded(expScaled(BigInt(d.units), d.scale, scale));
}

function within(scale: number, first: number, second: number): number {
  return Math.min(Math.max(scale, first, second, 0), MAX_DISPLAY_SCALE);
}
function isWhole(d: Decimal): boolean {
  if (isSpecial(d)) return !Number.isNaN(d.units as number);
  return BigInt(d.units) % big10(d.scale) === 0n;
}
function bounded(d: Decimal): Decimal | Impossible {
  const size = BigInt(d.units) < 0n ? -BigInt(d.units) : BigInt(d.units);
  return size.toString().length - d.scale > 131072 ? 'overflow' : d;
}
/** units × 10^-places, rounded half away from zero to `scale` places. */
function rescaledTo(units: bigint, places: number, scale: number): Decimal {
  return places <= scale
    ? make(units * big10(scale - places), scale)
    : make(roundedQuotient(units, big10(places - scale)), scale);
}
/** Place of the first digit: 0 for 1 to 9. */
function magnitude(d: Decimal): number {
  const digits = (BigInt(d.units) < 0n ? -BigInt(d.units) : BigInt(d.units)).toString().length;
  return d.units == 0 ? 0 : digits - d.scale - 1;
}
/** log10 of the size of a number from its leading digits, as power_var_int estimates it: in groups of four, sixteen digits. */
function log10Of(d: Decimal): number {
  const { groups, weight } = groupsOf(d);
  let f = groups[0]!;
  let p = weight * 4;
  for (let i = 1; i < groups.length && i * 4 < 16; i++) {
    f = f * 10_000 + groups[i]!;
    p -= 4;
  }
  return Math.log10(f) + p;
}
/** A number as PostgreSQL keeps it: digits in base 10,000 from the first that is not zero, zeros behind left out. */
function groupsOf(d: Decimal): { groups: number[]; weight: number } {
  const [whole = '', fraction = ''] = decimalText(d).replace('-', '').split('.');
  const left = whole.padStart(Math.ceil(whole.length / 4) * 4, '0');
  const right = fraction.padEnd(Math.ceil(fraction.length / 4) * 4, '0');
  const all = (left + right).match(/.{4}/g)?.map(Number) ?? [];
  const first = all.findIndex((g) => g !== 0);
  let last = all.length;
  while (last > 0 && all[last - 1] === 0) last--;
  return { groups: all.slice(first, last), weight: left.length / 4 - 1 - first };
}
/** estimate_ln_dweight */
function lnWeight(d: Decimal): number {
  if (compareDecimals(d, POINT_NINE) >= 0 && compareDecimals(d, ONE_POINT_ONE) <= 0) {
    const rest = make(BigInt(d.units) - big10(d.scale), d.scale);
    if (rest.units == 0) return 0;
    const { groups, weight } = groupsOf(rest);
    return weight * 4 + Math.trunc(Math.log10(groups[0]!));
  }
  const { groups, weight } = groupsOf(d);
  const two = groups.length > 1;
  const digits = two ? groups[0]! * 10_000 + groups[1]! : groups[0]!;
  const ln = Math.log(digits) + (weight * 4 - (two ? 4 : 0)) * 2.302585092994046;
  return Math.trunc(Math.log10(Math.abs(ln)));
}
/** ln(x) × 10^places, by halving x into 0.75 to 1.5 and the series of artanh. */
function lnScaled(d: Decimal, places: number): bigint {
  const extra = 10 + Math.abs(magnitude(d)).toString().length;
  const one = big10(places + extra);
  let x = (BigInt(d.units) * one) / big10(d.scale);
  let factor = 0;
  // Very large and very small numbers lose no digits: they are brought near one by their powers of ten first.
  const ten = magnitude(d);
  if (ten > 0) x /= big10(ten);
  else if (ten < 0) x = (BigInt(d.units) * one * big10(-ten)) / big10(d.scale);
  while (x > (one * 3n) / 2n) {
    x /= 2n;
    factor++;
  }
  const lnTwo = 2n * artanh(one / 3n, one);
  const lnTen = 3n * lnTwo + 2n * artanh(one / 9n, one);
  const ln = 2n * artanh(((x - one) * one) / (x + one), one) + BigInt(factor) * lnTwo + BigInt(ten) * lnTen;
  return roundedQuotient(ln, big10(extra));
}
function artanh(x: bigint, one: bigint): bigint {
  const square = (x * x) / one;
  let term = x;
  let sum = x;
  for (let n = 3n; term !== 0n; n += 2n) {
    term = (term * square) / one;
    sum += term / n;
  }
  return sum;
}

/** e^(units × 10^-places), rounded to `scale` places. */
function expScaled(units: bigint, places: number, scale: number): Decimal {
  const rough = Math.max(0, Math.ceil(numberOfDecimal(new Decimal(units, places)) * LOG10_E));
  const kept = scale + rough + GUARD + 10;
  const one = big10(kept);
  const y = places <= kept ? units * big10(kept - places) : units / big10(places - kept);
  const lnTwo = 2n * artanh(one / 3n, one);
  const twos = y / lnTwo;
  const HALVINGS = 16n;
  const r = (y - twos * lnTwo) >> HALVINGS;
  let term = one;
  let sum = one;
  for (let n = 1n; term !== 0n; n++) {
    term = (term * r) / (one * n);
    sum += term;
  }
  for (let i = 0n; i < HALVINGS; i++) sum = (sum * sum) / one;
  const result = twos >= 0n ? sum << twos : sum >> -twos;
  return rescaledTo(result, kept, scale);
}
