import type { MappingDocument } from './document.ts';

/** Where two people changed the same thing in different ways. */
export interface Clash {
  /** The line or field, or the part of the document. */
  readonly what: string;
  readonly line: string | null;
  /** What each side has there, as far as they differ. */
  readonly mine: string;
  readonly theirs: string;
}
export interface Merged {
  readonly document: MappingDocument;
  /** For each of these, the other side's change was taken, unless it was said otherwise. */
  readonly clashes: readonly Clash[];
}

const same = (a: unknown, b: unknown): boolean => JSON.stringify(canonical(a)) === JSON.stringify(canonical(b));
/** Members in one order, without those that are not there: how a thing was put together makes no difference. */
function canonical(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(canonical);
  if (typeof value !== 'object' || value === null) return value;
  const entries = Object.entries(value).filter(([, v]) => v !== undefined && v !== null);
  return Object.fromEntries(entries.sort(([a], [b]) => (a < b ? -1 : 1)).map(([k, v]) => [k, canonical(v)]));
}

/** Two sides of one thing in words, for the person who has to choose: the parts in which they differ. */
function textsOf(mine: unknown, theirs: unknown): { mine: string; theirs: string } {
  const parts = (value: unknown): Record<string, unknown> =>
    typeof value === 'object' && value !== null && !Array.isArray(value) ? (value as Record<string, unknown>) : {};
  const [ours, others] = [parts(mine), parts(theirs)];
  const names = [...new Set([...Object.keys(ours), ...Object.keys(others)])].filter((n) => !same(ours[n], others[n]));
  const write = (value: unknown, of: Record<string, unknown>): string => {
    if (value === undefined) return 'removed';
    if (names.length === 0) return typeof value === 'string' ? value : JSON.stringify(value);
    const shown = names.map(
      (n) =>
        `${n}: ${of[n] === undefined ? 'nothing' : typeof of[n] === 'string' ? String(of[n]) : JSON.stringify(of[n])}`,
    );
    return shown.join(' · ').slice(0, 600);
  };
  return { mine: write(mine, ours), theirs: write(theirs, others) };
}

const isChangedByBoth = (was: unknown, ours: unknown, other: unknown): boolean =>
  !same(ours, other) && !same(was, ours) && !same(was, other);

/** Members that say one thing together: how a line makes its value, what it falls back to, what it checks. */
const TOGETHER: readonly (readonly string[])[] = [
  ['kind', 'source', 'rule', 'value', 'codeTable', 'generate', 'of'],
  ['default', 'defaultWhen', 'onFail'],
  ['check', 'checkMessage'],
];
/** The members of a line or field, each with those that belong to it. */
function piecesOf(...sides: readonly object[]): readonly (readonly string[])[] {
  const isLine = sides.some((side) => 'target' in side);
  const names = new Set(sides.flatMap((side) => Object.keys(side)));
  const together = isLine ? TOGETHER : [];
  const alone = [...names].filter((name) => !together.some((piece) => piece.includes(name)));
  return [...alone.map((name) => [name]), ...together];
}
const membersInOrder = (...sides: readonly object[]): string[] => [...new Set(sides.flatMap((s) => Object.keys(s)))];
function picked(side: object, names: readonly string[]): Record<string, unknown> {
  const all = side as Readonly<Record<string, unknown>>;
  return Object.fromEntries(names.flatMap((name) => (all[name] === undefined ? [] : [[name, all[name]]])));
}

/** `first` in its order; what only `second` has stands behind what it stands behind there. */
function inOrder(first: readonly string[], second: readonly string[]): string[] {
  const known = new Set(first);
  const added = new Map<string | null, string[]>();
  let behind: string | null = null;
  for (const id of second) {
    if (known.has(id)) behind = id;
    else added.set(behind, [...(added.get(behind) ?? []), id]);
  }
  return [...(added.get(null) ?? []), ...first.flatMap((id) => [id, ...(added.get(id) ?? [])])];
}

/**
 * Brings together what two sides made of one document (`base`): line by line, field by field, within both piece by piece, and
 * the other parts as wholes. What only one side changed is as that side has it; where both changed the same, `theirs` is
 * taken and named, unless `takesMine` says otherwise.
 */
export function mergeDocuments(
  base: MappingDocument,
  mine: MappingDocument,
  theirs: MappingDocument,
  takesMine: (what: string) => boolean = () => false,
): Merged {
  const clashes: Clash[] = [];
  const one = <T>(was: T, ours: T, other: T, what: string, line: string | null = null): T => {
    if (same(ours, other) || same(was, other)) return ours;
    if (same(was, ours)) return other;
    clashes.push({ what, line, ...textsOf(ours, other) });
    return takesMine(what) ? ours : other;
  };
  /** Of a line or field that both changed: piece by piece, where that leaves a thing that somebody could have written. */
  const inPieces = <T extends object>(was: T, ours: T, other: T, what: string, line: string | null): T | null => {
    const values: Record<string, unknown> = {};
    const clashing: string[] = [];
    for (const piece of piecesOf(was, ours, other)) {
      const [before, mine, theirs] = [was, ours, other].map((side) => picked(side, piece));
      const isClash = !same(mine, theirs) && !same(before, mine) && !same(before, theirs);
      if (isClash) clashing.push(...piece);
      const taken = isClash ? (takesMine(what) ? mine : theirs) : same(before, mine) ? theirs : mine;
      Object.assign(values, taken);
    }
    // Who has nothing to add finds their own side again, to the letter.
    const merged = [other, ours].find((side) => same(side, values)) ?? picked(values, membersInOrder(ours, other));
    // What somebody agreed to was the line as they saw it, and no other.
    const isAgreed = (side: object): boolean => (side as { state?: unknown }).state === 'agreed';
    const content = (side: object): object => ({ ...side, state: null });
    const seen = [ours, other].some((side) => isAgreed(side) && same(content(side), content(merged)));
    if (isAgreed(merged) && !seen) return null;
    if (clashing.length > 0) clashes.push({ what, line, ...textsOf(picked(ours, clashing), picked(other, clashing)) });
    return merged as T;
  };
  const list = <T extends object>(
    part: (document: MappingDocument) => readonly T[],
    key: (item: T) => string,
    name: (item: T) => string,
    isLine = false,
    hasPieces = isLine,
  ): T[] => {
    // Two things of one name are two things all the same.
    const by = (document: MappingDocument): Map<string, T> => {
      const found = new Map<string, T>();
      for (const item of part(document)) {
        let id = key(item);
        while (found.has(id)) id += ' again';
        found.set(id, item);
      }
      return found;
    };
    const [was, ours, other] = [by(base), by(mine), by(theirs)];
    const merged = new Map<string, T>();
    for (const id of new Set([...ours.keys(), ...other.keys()])) {
      const item = (ours.get(id) ?? other.get(id))!;
      const [before, mine, theirs] = [was.get(id), ours.get(id), other.get(id)];
      const line = isLine ? id : null;
      const all = hasPieces && before && mine && theirs;
      const pieces =
        all && isChangedByBoth(before, mine, theirs) ? inPieces(before, mine, theirs, name(item), line) : null;
      const kept = pieces ?? one<T | undefined>(before, mine, theirs, name(item), line);
      if (kept !== undefined) merged.set(id, kept);
    }
    // Whoever moved things keeps the order, if only one side did.
    const order = (m: Map<string, T>): string[] => [...m.keys()].filter((id) => was.has(id) && merged.has(id));
    const moved = !same(order(was), order(other)) && same(order(was), order(ours));
    const [leading, adding] = moved ? [other, ours] : [ours, other];
    return inOrder([...leading.keys()], [...adding.keys()])
      .filter((id) => merged.has(id))
      .map((id) => merged.get(id)!);
  };
  const whole = <K extends keyof MappingDocument>(part: K, what: string): MappingDocument[K] =>
    one(base[part], mine[part], theirs[part], what);
  const tables = new Set([...Object.keys(mine.codeTables), ...Object.keys(theirs.codeTables)]);
  const codeTables: MappingDocument['codeTables'] = {};
  for (const name of tables) {
    const kept = one<MappingDocument['codeTables'][string] | undefined>(
      base.codeTables[name],
      mine.codeTables[name],
      theirs.codeTables[name],
      `code table ${name}`,
    );
    if (kept !== undefined) codeTables[name] = kept;
  }
  const { fields: _was, ...baseTarget } = base.target;
  const { fields: _ours, ...ourTarget } = mine.target;
  const { fields: _other, ...theirTarget } = theirs.target;
  const examples = list(
    (d) => d.examples ?? [],
    (e) => e.id,
    (e) => `example ${e.id}`,
  );
  // An empty list and none are written differently.
  const listed = (d: MappingDocument): boolean => d.examples !== undefined;
  const hasExamples = listed(mine) === listed(base) ? listed(theirs) : listed(mine);
  const codeDefaults = whole('codeDefaults', 'the defaults of code tables');
  const { examples: _examples, codeDefaults: _codeDefaults, ...rest } = mine;
  const document: MappingDocument = {
    ...rest,
    name: whole('name', 'the name'),
    purpose: whole('purpose', 'the purpose'),
    source: whole('source', 'the source set'),
    target: {
      ...one(baseTarget, ourTarget, theirTarget, 'the target'),
      fields: list(
        (d) => d.target.fields,
        (f) => f.name,
        (f) => `field ${f.label ?? f.name}`,
        false,
        true,
      ),
    },
    lines: list(
      (d) => d.lines,
      (l) => l.id,
      (l) => l.target,
      true,
    ),
    checks: list(
      (d) => d.checks,
      (c) => c.id,
      (c) => `check ${c.id}`,
    ),
    skips: list(
      (d) => d.skips,
      (s) => s.id,
      (s) => `skip ${s.id}`,
    ),
    codeTables,
    write: whole('write', 'how it is written'),
    questions: list(
      (d) => d.questions,
      (q) => q.id,
      (q) => `question ${q.id}`,
    ),
    dictionary: list(
      (d) => d.dictionary,
      (t) => `${t.dataset}\n${t.name}`,
      (t) => `definition of ${t.name}`,
    ),
    ...(codeDefaults ? { codeDefaults } : {}),
    ...(examples.length > 0 || hasExamples ? { examples } : {}),
  };
  return { document, clashes };
}
