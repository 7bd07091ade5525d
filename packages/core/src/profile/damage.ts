/** Something that looks as if another program had spoiled it. */
export interface Damage {
  readonly what: string;
  readonly count: number;
  readonly example: string;
}

const MOJIBAKE = /Ã[\u0080-\u00bf©¼¶¤Ÿ]|Â[\u00a0-\u00bf]|â€/;
const SCIENTIFIC = /^\d+([.,]\d+)?E[+-]?\d+$/i;

/** What looks spoiled about a single value; null where nothing does. */
export function damageOf(value: string): string | null {
  const first = value.charCodeAt(0);
  if (first >= 48 && first <= 57) {
    if (SCIENTIFIC.test(value)) return 'scientific notation';
    if (value.charCodeAt(value.length - 1) === 45 && /^[\d.,]+-$/.test(value)) return 'minus behind the number';
    return null;
  }
  if (first === 35 && /^#{3,}$/.test(value)) return '#### in place of a value';
  return MOJIBAKE.test(value) ? 'letters read in the wrong encoding' : null;
}

/** Values of digits only, by their length: ids that are shorter than the others may have lost their leading zeros. */
export class DigitLengths {
  private readonly groups = new Map<number, { plain: number; zero: number; example: string }>();

  add(value: string, count: number): void {
    const group = this.groups.get(value.length) ?? { plain: 0, zero: 0, example: value };
    group[value.charCodeAt(0) === 48 ? 'zero' : 'plain'] += count;
    this.groups.set(value.length, group);
  }
  /** Ids of one length, many of them with a zero in front, and a few shorter ones without: their zeros were lost. */
  lostZeros(): { readonly damage: Damage; readonly length: number } | null {
    const groups = [...this.groups].sort((a, b) => b[1].plain + b[1].zero - (a[1].plain + a[1].zero));
    const [main] = groups;
    if (!main || main[1].zero === 0) return null;
    const shorter = groups.filter(([length, g]) => length < main[0] && g.plain > 0);
    const count = shorter.reduce((sum, [, g]) => sum + g.plain, 0);
    return count > 0 && count < (main[1].plain + main[1].zero) / 2
      ? { damage: { what: 'leading zeros lost', count, example: shorter[0]![1].example }, length: main[0] }
      : null;
  }
}
