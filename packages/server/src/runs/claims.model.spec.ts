/**
 * A model of what two processes do with one run, checked over every order in which their steps can fall, with a lease that
 * may end at any moment (a process that is frozen is one that takes no step for a while) and one process that dies anywhere.
 * A chunk goes to the target together with its entry in the journal, and is settled in the store after that.
 */
const CHUNKS = 3;

interface Worker {
  /** What it does next. */
  readonly at: 'idle' | 'deliver' | 'settle' | 'dead';
  /** Whether the number of its claim is the newest one: all that the store asks of it. */
  readonly isNewest: boolean;
  readonly chunk: number;
}
interface State {
  readonly holder: 0 | 1 | null;
  readonly expired: boolean;
  /** Chunks that the store has counted, and how often it did. */
  readonly settled: number;
  readonly counted: number;
  /** How often the rows of each chunk are in the target. */
  readonly rows: readonly number[];
  readonly journal: readonly boolean[];
  readonly workers: readonly [Worker, Worker];
  readonly died: boolean;
}
/** What protects them; the model has to find what goes wrong without one of them. */
interface Guards {
  readonly fenced: boolean;
  readonly journaled: boolean;
  readonly takesOver: boolean;
}
const ALL: Guards = { fenced: true, journaled: true, takesOver: true };

const IDLE: Worker = { at: 'idle', isNewest: false, chunk: 0 };
const START: State = {
  holder: null,
  expired: false,
  settled: 0,
  counted: 0,
  rows: Array.from({ length: CHUNKS }, () => 0),
  journal: Array.from({ length: CHUNKS }, () => false),
  workers: [IDLE, IDLE],
  died: false,
};
const isDone = (s: State): boolean => s.settled === CHUNKS;
const replaced = <T>(list: readonly T[], at: number, value: T): T[] => list.map((v, i) => (i === at ? value : v));

/** What worker `me` can do next. */
function steps(s: State, me: 0 | 1, guards: Guards): State[] {
  const worker = s.workers[me];
  const become = (changed: Partial<Worker>, more: Partial<State> = {}): State => ({
    ...s,
    ...more,
    workers: replaced(s.workers, me, { ...worker, ...changed }) as [Worker, Worker],
  });
  if (worker.at === 'dead') return [];
  const dies = s.died ? [] : [become({ at: 'dead' }, { died: true })];
  if (worker.at === 'idle') {
    // What it has itself it never takes twice, however late it is.
    const isFree = s.holder === null || (guards.takesOver && s.expired && s.holder !== me);
    if (isDone(s) || !isFree) return dies;
    const claimed = become({ at: 'deliver', isNewest: true, chunk: s.settled }, { holder: me, expired: false });
    const [one, other] = claimed.workers;
    const workers: [Worker, Worker] =
      me === 0 ? [one, { ...other, isNewest: false }] : [{ ...one, isNewest: false }, other];
    return [...dies, { ...claimed, workers }];
  }
  const { chunk } = worker;
  if (worker.at === 'deliver') {
    const isThere = guards.journaled && s.journal[chunk];
    const rows = isThere ? s.rows : replaced(s.rows, chunk, Math.min(2, s.rows[chunk]! + 1));
    return [...dies, become({ at: 'settle' }, { rows, journal: replaced(s.journal, chunk, true) })];
  }
  if (guards.fenced && !worker.isNewest) return [...dies, become(IDLE)];
  // More than once over is as wrong as once over.
  const settled = { settled: chunk + 1, counted: Math.min(s.counted + 1, CHUNKS + 1) };
  return [
    ...dies,
    chunk + 1 < CHUNKS
      ? become({ at: 'deliver', chunk: chunk + 1 }, settled)
      : become(IDLE, { ...settled, ...(worker.isNewest ? { holder: null } : {}) }),
  ];
}
function next(s: State, guards: Guards): State[] {
  const ends = s.holder !== null && !s.expired ? [{ ...s, expired: true }] : [];
  return [...ends, ...steps(s, 0, guards), ...steps(s, 1, guards)];
}

interface Explored {
  readonly states: number;
  /** What is not as it must be, with the first state where it is not. */
  readonly wrong: ReadonlySet<string>;
}
function explore(guards: Guards): Explored {
  const key = (s: State): string => JSON.stringify(s);
  const seen = new Map<string, State>([[key(START), START]]);
  const before = new Map<string, string[]>();
  const wrong = new Set<string>();
  for (const s of seen.values()) {
    if (s.rows.some((n) => n > 1)) wrong.add('rows twice');
    if (s.counted !== s.settled) wrong.add('counts lie');
    if (s.rows.slice(0, s.settled).some((n) => n === 0)) wrong.add('counted and not there');
    for (const then of next(s, guards)) {
      const name = key(then);
      before.set(name, [...(before.get(name) ?? []), key(s)]);
      if (!seen.has(name)) seen.set(name, then);
    }
  }
  // From wherever it is, the run can still come to its end.
  const ends = [...seen].filter(([, s]) => isDone(s)).map(([name]) => name);
  const reaches = new Set(ends);
  for (const name of reaches) for (const earlier of before.get(name) ?? []) reaches.add(earlier);
  if (reaches.size < seen.size) wrong.add('never ends');
  return { states: seen.size, wrong };
}

describe('claims of two processes, in every order of their steps', () => {
  it('let each chunk arrive once, be counted once, and every run come to its end', () => {
    const { states, wrong } = explore(ALL);
    expect([...wrong]).toEqual([]);
    expect(states).toBeGreaterThan(300);
  });
  it('need the number of the claim, the journal and the lease: without one of them something goes wrong', () => {
    const without = (guard: keyof Guards): string[] => [...explore({ ...ALL, [guard]: false }).wrong].sort();
    expect(without('fenced')).toContain('counts lie');
    expect(without('journaled')).toEqual(['rows twice']);
    expect(without('takesOver')).toEqual(['never ends']);
  });
});
