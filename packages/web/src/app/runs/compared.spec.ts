import type { CauseGroup, RunDetail } from '@versicle/contract';
import { comparedCauses, comparedFigures, comparedSteps } from './compared';

const counts = (more: object = {}): RunDetail['counts'] => ({
  read: 100,
  filtered: 0,
  skipped: 0,
  unchanged: 0,
  unmatched: 0,
  failed: 0,
  waiting: 0,
  delivered: 100,
  remarks: 0,
  ...more,
});
const run = (id: number, seconds: number, more: object = {}): RunDetail =>
  ({
    id,
    startedAt: '2026-11-30T02:00:00.000Z',
    finishedAt: new Date(Date.parse('2026-11-30T02:00:00.000Z') + seconds * 1000).toISOString(),
    counts: counts(),
    steps: [],
    causes: [],
    ...more,
  }) as unknown as RunDetail;

describe('two runs', () => {
  it('show what either has, with how much more the later one has, and which of it is bad', () => {
    const figures = comparedFigures(
      run(1, 10),
      run(2, 5, { counts: counts({ read: 90, unchanged: 50, delivered: 37, failed: 3 }) }),
    );
    expect(figures.map((f) => `${f.name}: ${f.one} ${f.other} ${f.more}${f.bad ? ' !' : ''}`)).toEqual([
      'Read: 100 90 −10',
      'Unchanged: 0 50 +50',
      'Delivered: 100 37 −63',
      'Failed: 0 3 +3 !',
      'Took: 10 s 5.0 s −5.0 s',
      'Records a second: 10 18 × 1.80',
    ]);
  });
  it('say nothing of the time of a run that goes on', () => {
    const figures = comparedFigures(run(1, 10), { ...run(2, 5), finishedAt: null });
    expect(figures.slice(-2).map((f) => [f.other, f.more])).toEqual([
      ['', ''],
      ['', ''],
    ]);
  });
  it('have their causes side by side, the largest change first', () => {
    const cause = (line: string, count: number): CauseGroup =>
      ({ mapping: 'm', line, cause: 'x', count }) as CauseGroup;
    const causes = comparedCauses(
      run(1, 1, { causes: [cause('l1', 5), cause('l2', 2)] }),
      run(2, 1, { causes: [cause('l3', 9), cause('l1', 6)] }),
    );
    expect(causes.map((c) => [c.group.line, c.one, c.other])).toEqual([
      ['l3', 0, 9],
      ['l2', 2, 0],
      ['l1', 5, 6],
    ]);
  });
  it('have the steps of both, also where one has more', () => {
    const step = (id: string, ...runs: number[]) => ({ id, words: `Step ${id}`, runs: runs.map((r) => run(r, 1)) });
    const steps = comparedSteps(
      run(1, 1, { steps: [step('a', 3), step('b')] }),
      run(2, 1, { steps: [step('a', 5), step('c', 6)] }),
    );
    expect(steps.map((s) => [s.words, s.one?.id ?? null, s.other?.id ?? null])).toEqual([
      ['Step a', 3, 5],
      ['Step b', null, null],
      ['Step c', null, 6],
    ]);
  });
});
