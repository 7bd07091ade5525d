import { anything, isWord, LONGER, SHORTER, type Assertion, type Branches, type Item, type Pattern } from './parse.ts';

/**
 * Matches as PostgreSQL does (src/backend/regex/regcomp.c and regexec.c): the leftmost match, its end by the preference of
 * the whole, and the parts of it by their own preferences, from left to right. The tree of parts is built as regcomp.c builds
 * it, as what it takes together decides which part gets what. Sets of possible ends take the place of its automata; each
 * step is counted, so that no pattern runs away.
 */

/** Steps of all searches in one text at the most, besides some for each character; a text of a thousand takes some thousands. */
const MAX_STEPS = 1_000_000;
const STEPS_A_CHARACTER = 20;
/** What is left of them, shared by the searches that go through one text. */
export interface Budget {
  steps: number;
}
export const freshBudget = (length: number): Budget => ({ steps: MAX_STEPS + STEPS_A_CHARACTER * length });
export class TooMuchWork extends Error {
  constructor() {
    super('The regular expression takes too long on this text; make it simpler.');
  }
}

const MIXED = 4;
const CAP = 8;
const LOCAL = LONGER | SHORTER;
const up = (flags: number): number => (flags & ~LOCAL) | ((flags & LOCAL) === LOCAL ? MIXED : 0);
const combine = (a: number, b: number): number => up(a | b) | (a & LOCAL || b & LOCAL);
const isMessy = (flags: number): boolean => (flags & (MIXED | CAP)) !== 0;

/** A part of the pattern: what it matches as a whole, and how it falls into parts. */
interface Part {
  readonly kind: 'plain' | 'then' | 'or' | 'repeat';
  /** What it matches, without regard to parts. */
  readonly whole: Branches;
  flags: number;
  capture: number;
  readonly children: Part[];
  readonly min: number;
  readonly max: number;
}
const part = (kind: Part['kind'], whole: Branches, flags: number, children: Part[] = [], min = 1, max = 1): Part => ({
  kind,
  whole,
  flags,
  capture: 0,
  children,
  min,
  max,
});

function partOfBranches(branches: Branches): Part {
  if (branches.length === 1) return partOfItems(branches[0]!);
  const children = branches.map(partOfItems);
  const flags = children.reduce((f, child) => f | up(f | child.flags), LONGER);
  return isMessy(flags) ? part('or', branches, flags, children) : part('plain', branches, flags);
}
function partOfItems(items: readonly Item[]): Part {
  const prefix: Item[] = [];
  let flags = 0;
  for (const [i, item] of items.entries()) {
    const { atom, max, prefers } = item;
    if (atom.kind === 'assert') {
      prefix.push(item);
      continue;
    }
    if (max === 0) continue;
    const inner = atom.kind === 'group' ? partOfGroup(atom.re, atom.capture) : null;
    const together = flags | prefers | (inner?.flags ?? 0);
    if (!(atom.kind === 'group' && atom.capture > 0) && !isMessy(up(together))) {
      prefix.push(item);
      flags = together;
      continue;
    }
    const single = inner ?? part('plain', [[{ ...item, min: 1, max: 1, prefers: 0 }]], 0);
    const rest = items.slice(i + 1);
    const after = rest.length > 0 ? partOfItems(rest) : part('plain', [[]], 0);
    const repeated = repeatedPart(single, item);
    let second = combine(prefers, single.flags);
    if (rest.length > 0) second |= combine(second, after.flags);
    const here = part('then', [[item, ...rest]], second, [repeated, after]);
    return part('then', [items], flags | combine(flags, second), [part('plain', [prefix], flags), here]);
  }
  return part('plain', [prefix], flags);
}
function partOfGroup(re: Branches, capture: number): Part {
  const inner = partOfBranches(re);
  if (capture === 0) return inner;
  // ((x)): two captures of the same.
  if (inner.capture > 0) {
    const outer = part('or', re, inner.flags | CAP, [inner]);
    outer.capture = capture;
    return outer;
  }
  inner.flags |= CAP;
  inner.capture = capture;
  return inner;
}
function repeatedPart(single: Part, item: Item): Part {
  const { min, max, prefers } = item;
  const own = single.flags & (LOCAL | MIXED);
  if (min === 1 && max === 1 && (prefers === 0 || own === 0 || prefers === own)) return single;
  const flags = combine(prefers, single.flags);
  if ((single.flags & CAP) === 0) return part('plain', [[item]], flags);
  if (min > 0) {
    // x{m,n} is x{m-1,n-1}x, of which only the last captures.
    const before: Item = { ...item, min: min - 1, max: max - 1 };
    return part('then', [[item]], flags, [part('plain', [[before]], flags & LOCAL), single]);
  }
  return part('repeat', [[item]], flags, [single], min, max);
}

export interface Match {
  readonly start: number;
  readonly end: number;
  /** By capture, from 1; null where it took no part. */
  readonly captures: readonly (readonly [number, number] | null)[];
}

export class Regex {
  private readonly root: Part;

  constructor(private readonly pattern: Pattern) {
    this.root = partOfBranches(pattern.branches);
    const [items, other] = pattern.branches;
    const first = other ? undefined : items![0];
    const { newlineStops, newlineAnchors } = pattern.flags;
    this.onlyFirst =
      !newlineStops &&
      !newlineAnchors &&
      first?.atom.kind === 'set' &&
      first.min === 0 &&
      first.max === Infinity &&
      first.atom.test === anything;
  }
  /** Whether a match that does not begin at the first place begins nowhere: what begins with `.*` could have begun earlier. */
  private readonly onlyFirst: boolean;
  get captures(): number {
    return this.pattern.captures;
  }

  /** The first match that begins at `from` or later; positions count code points. Throws TooMuchWork. */
  search(text: Uint32Array, from: number, budget: Budget = freshBudget(text.length)): Match | null {
    const run = new Run(text, this.pattern, budget);
    const { root } = this;
    const last = this.onlyFirst ? from : text.length;
    for (let start = from; start <= last; start++) {
      const ends = run.endsOf(root.whole, start);
      if (ends.length === 0) continue;
      const end = root.flags & SHORTER ? ends[0]! : ends[ends.length - 1]!;
      if (this.captures > 0) run.dissect(root, start, end);
      return { start, end, captures: run.captures };
    }
    return null;
  }
}

/** One search in one text. */
class Run {
  captures: ([number, number] | null)[];
  private readonly known = new Map<Branches, Map<number, readonly number[]>>();

  constructor(
    private readonly text: Uint32Array,
    pattern: Pattern,
    private readonly budget: Budget,
  ) {
    this.captures = new Array<[number, number] | null>(pattern.captures + 1).fill(null);
  }
  private step(count = 1): void {
    this.budget.steps -= count;
    if (this.budget.steps < 0) throw new TooMuchWork();
  }

  /** Where a match that begins at `start` can end, in order. */
  endsOf(branches: Branches, start: number): readonly number[] {
    let byStart = this.known.get(branches);
    if (!byStart) this.known.set(branches, (byStart = new Map()));
    let ends = byStart.get(start);
    if (!ends) {
      ends =
        branches.length === 1
          ? this.endsOfItems(branches[0]!, start)
          : sorted(new Set(branches.flatMap((items) => [...this.endsOfItems(items, start)])));
      byStart.set(start, ends);
    }
    return ends;
  }
  private endsOfItems(items: readonly Item[], start: number): readonly number[] {
    let now: readonly number[] = [start];
    for (const item of items) {
      now = now.length === 1 ? this.endsOfItem(item, now[0]!) : this.endsFrom(item, now);
      if (now.length === 0) return now;
    }
    return now;
  }
  private endsFrom(item: Item, starts: readonly number[]): readonly number[] {
    const ends = new Set<number>();
    for (const start of starts) {
      const found = this.endsOfItem(item, start);
      this.step(found.length);
      for (const end of found) ends.add(end);
    }
    return sorted(ends);
  }
  private endsOfItem({ atom, min, max }: Item, start: number): readonly number[] {
    this.step();
    if (atom.kind === 'assert') return this.holds(atom.assert, start) ? [start] : [];
    if (atom.kind === 'set') {
      // A run of characters, which is most of what patterns are made of.
      const { text } = this;
      const { test } = atom;
      let count = 0;
      while (count < max && start + count < text.length && test(text[start + count]!)) count++;
      this.step(count);
      return Array.from({ length: Math.max(0, count - min + 1) }, (_, i) => start + min + i);
    }
    const { re } = atom;
    let now = new Set<number>([start]);
    for (let n = 0; n < min; n++) now = this.onward(re, now);
    if (max === min) return sorted(now);
    const all = new Set(now);
    for (let n = min; n < max && now.size > 0; n++) {
      const next = new Set<number>();
      for (const end of this.onward(re, now)) if (!all.has(end)) next.add(end);
      for (const end of next) all.add(end);
      now = next;
    }
    return sorted(all);
  }
  private onward(re: Branches, starts: ReadonlySet<number>): Set<number> {
    const ends = new Set<number>();
    for (const start of starts) {
      const found = this.endsOf(re, start);
      this.step(found.length);
      for (const end of found) ends.add(end);
    }
    return ends;
  }

  private holds(assert: Assertion, at: number): boolean {
    const { text } = this;
    const before = at > 0 && isWord(text[at - 1]!);
    const after = at < text.length && isWord(text[at]!);
    switch (assert.at) {
      case 'start':
        return at === 0;
      case 'end':
        return at === text.length;
      case 'line start':
        return at === 0 || text[at - 1] === 10;
      case 'line end':
        return at === text.length || text[at] === 10;
      case 'word start':
        return !before && after;
      case 'word end':
        return before && !after;
      case 'boundary':
        return before !== after;
      case 'no boundary':
        return before === after;
      case 'look': {
        let found = false;
        if (!assert.behind) found = this.endsOf(assert.re, at).length > 0;
        else for (let from = at; from >= 0 && !found; from--) found = this.endsOf(assert.re, from).includes(at);
        return found !== assert.negated;
      }
    }
  }

  /** Settles which part took what, given that the whole took `start` to `end`. */
  dissect(node: Part, start: number, end: number): boolean {
    this.step();
    if (!this.parts(node, start, end)) return false;
    if (node.capture > 0) this.captures[node.capture] = [start, end];
    return true;
  }
  private parts(node: Part, start: number, end: number): boolean {
    switch (node.kind) {
      case 'plain':
        return true;
      case 'or': {
        const taken = node.children.find((child) => this.endsOf(child.whole, start).includes(end));
        return taken !== undefined && this.dissect(taken, start, end);
      }
      case 'then': {
        const [left, right] = node.children as [Part, Part];
        for (const middle of this.preferred(left, start, end))
          if (this.endsOf(right.whole, middle).includes(end))
            return this.dissect(left, start, middle) && this.dissect(right, middle, end);
        return false;
      }
      case 'repeat':
        return this.repeated(node, start, end);
    }
  }
  private preferred(node: Part, start: number, end: number): readonly number[] {
    const ends = this.endsOf(node.whole, start).filter((e) => e <= end);
    this.step(ends.length);
    return node.flags & SHORTER ? ends : ends.reverse();
  }
  /** The iterations from left to right, each by its preference; what the last one took is what counts. */
  private repeated(node: Part, start: number, end: number): boolean {
    const [child] = node.children as [Part];
    // Where no iteration is needed but one that takes nothing is possible, it took part, unless it prefers to take little.
    if (node.min === 0 && start === end)
      return (
        (child.flags & SHORTER) !== 0 ||
        !this.endsOf(child.whole, start).includes(end) ||
        this.dissect(child, start, end)
      );
    const least = Math.max(1, node.min);
    const most = Math.max(least, Math.min(node.max, end - start));
    const failed = new Set<string>();
    const iterate = (count: number, at: number): [number, number] | null => {
      const place = `${count} ${at}`;
      if (failed.has(place)) return null;
      for (const next of this.preferred(child, at, end)) {
        if (next === end) {
          if (count >= least) return [at, next];
          continue;
        }
        if (count >= most) continue;
        // An iteration that takes nothing is taken only where the least number needs it.
        if (next === at && (count >= least || least - count < end - next)) continue;
        const last = iterate(count + 1, next);
        if (last) return last;
      }
      failed.add(place);
      return null;
    };
    const last = iterate(1, start);
    return last !== null && this.dissect(child, last[0], last[1]);
  }
}
const sorted = (ends: ReadonlySet<number>): number[] => (ends.size === 1 ? [...ends] : [...ends].sort((a, b) => a - b));
