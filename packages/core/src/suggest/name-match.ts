/** How alike two names are, by their words: abbreviations written out, words of one meaning taken for each other. */

const ABBREVIATIONS: Readonly<Record<string, string>> = {
  no: 'number',
  nr: 'number',
  num: 'number',
  nm: 'name',
  dt: 'date',
  dat: 'date',
  qty: 'quantity',
  amt: 'amount',
  bal: 'balance',
  addr: 'address',
  desc: 'description',
  descr: 'description',
  txt: 'text',
  cd: 'code',
  ccy: 'currency',
  curr: 'currency',
  tel: 'phone',
  ph: 'phone',
  dob: 'birth',
  lat: 'latitude',
  lon: 'longitude',
  lng: 'longitude',
  stn: 'station',
  cust: 'customer',
  acct: 'account',
  ref: 'reference',
  st: 'street',
  pc: 'postcode',
  zip: 'postcode',
  yr: 'year',
  mth: 'month',
  min: 'minutes',
  sec: 'seconds',
  km: 'distance',
  miles: 'distance',
  opn: 'opened',
  cls: 'closed',
  ext: 'external',
  id: 'number',
};
/** Words that mean the same in names of fields; a workspace may add its own. */
export const SYNONYMS: readonly (readonly string[])[] = [
  ['number', 'identifier', 'key', 'code'],
  ['name', 'title', 'label'],
  ['opened', 'open', 'start', 'started', 'begin', 'began', 'joined', 'since', 'from'],
  ['ended', 'end', 'closed', 'close', 'until', 'to', 'finish'],
  ['town', 'city', 'place'],
  ['district', 'area', 'region', 'zone'],
  ['phone', 'telephone', 'mobile'],
  ['mail', 'email'],
  ['birth', 'born', 'birthday'],
  ['amount', 'sum', 'total', 'value', 'fare', 'price', 'cost'],
  ['docks', 'capacity', 'stands', 'slots'],
  ['distance', 'length'],
  ['member', 'customer', 'user', 'person', 'rider'],
  ['bike', 'cycle', 'bicycle'],
  ['trip', 'ride', 'journey', 'hire'],
  ['station', 'stop'],
  ['tariff', 'plan', 'rate'],
  ['sheltered', 'covered', 'roofed'],
  ['rating', 'score', 'stars'],
  ['note', 'remark', 'comment', 'text'],
];
const EMPTY = new Set(['the', 'of', 'a', 'is', 'in', 'on', 'at', 'date']);

/** A name's words: parts between signs and capitals, in small letters, abbreviations written out. */
export function nameWords(name: string): string[] {
  return name
    .replace(/([a-z0-9])([A-Z])/g, '$1 $2')
    .toLowerCase()
    .split(/[^\p{L}\p{N}]+/u)
    .filter(Boolean)
    .map((word) => ABBREVIATIONS[word] ?? word);
}
function bigrams(text: string): Map<string, number> {
  const found = new Map<string, number>();
  for (let i = 0; i + 1 < text.length; i++) {
    const pair = text.slice(i, i + 2);
    found.set(pair, (found.get(pair) ?? 0) + 1);
  }
  return found;
}
/** Dice’s coefficient of the pairs of letters. */
function bigramDice(a: string, b: string): number {
  if (a === b) return 1;
  const [x, y] = [bigrams(a), bigrams(b)];
  let common = 0;
  for (const [pair, n] of x) common += Math.min(n, y.get(pair) ?? 0);
  const size = Math.max(0, a.length - 1) + Math.max(0, b.length - 1);
  return size === 0 ? 0 : (2 * common) / size;
}

export class NameMatcher {
  /** The groups that a word is in: the workspace's own come beside the built-in ones. */
  private readonly groups = new Map<string, number[]>();

  constructor(more: readonly (readonly string[])[] = []) {
    for (const [i, words] of [...SYNONYMS, ...more].entries())
      for (const word of words) this.groups.set(word, [...(this.groups.get(word) ?? []), i]);
  }
  private same(a: string, b: string): number {
    if (a === b) return 1;
    const theirs = this.groups.get(b);
    if (theirs && this.groups.get(a)?.some((group) => theirs.includes(group))) return 0.8;
    const near = bigramDice(a, b);
    return near > 0.7 ? near * 0.8 : 0;
  }
  /** From 0 (nothing in common) to 1 (the same name). */
  alike(a: string, b: string): number {
    const [x, y] = [nameWords(a), nameWords(b)];
    if (x.join() === y.join()) return 1;
    const weight = (word: string): number => (EMPTY.has(word) ? 0.1 : 1);
    let common = 0;
    for (const word of x) common += weight(word) * Math.max(0, ...y.map((other) => this.same(word, other)));
    for (const word of y) common += weight(word) * Math.max(0, ...x.map((other) => this.same(word, other)));
    const size = [...x, ...y].reduce((sum, word) => sum + weight(word), 0);
    const byWords = size === 0 ? 0 : common / size;
    // Words of one meaning need not look alike.
    return Math.max(0.85 * byWords, 0.75 * byWords + 0.25 * bigramDice(x.join(''), y.join('')));
  }
}
