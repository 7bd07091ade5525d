import type { CauseGroup, FailedRecord, FailedRecordDetail, RunSummary } from '@versicle/contract';
import { frameActions } from '../frame/frame.feature';
import { failuresActions as a, failuresFeature, PAGE } from './failures.feature';

type State = ReturnType<typeof failuresFeature.reducer>;
const after = (...actions: Parameters<typeof failuresFeature.reducer>[1][]): State =>
  actions.reduce(failuresFeature.reducer, failuresFeature.reducer(undefined, { type: 'init' }));
const group = { mapping: 'trips', line: 'l11', cause: 'rule_error' as const };
const asked = { state: 'open' as const };
const records = (n: number, from = 1): FailedRecord[] =>
  Array.from({ length: n }, (_, i) => ({ id: from + i }) as FailedRecord);
const run = (id: number, finishedAt: string | null): RunSummary => ({ id, finishedAt }) as RunSummary;

describe('failed records on a page', () => {
  it('are followed by more as long as a page comes full', () => {
    const first = after(a.groupOpened({ group, asked }), a.recordsLoaded({ records: records(PAGE) }));
    expect(first).toMatchObject({ more: true, open: { group, asked } });
    const both = failuresFeature.reducer(first, a.moreLoaded({ records: records(3, 1000) }));
    expect(both.more).toBe(false);
    expect(both.records.value).toHaveLength(PAGE + 3);
    expect(both.records.value!.at(-1)!.id).toBe(1002);
  });
  it('stay while their group is asked for again, and say why they could not be had', () => {
    const state = after(
      a.groupOpened({ group, asked }),
      a.recordsLoaded({ records: records(2) }),
      a.groupOpened({ group, asked }),
      a.recordsFailed({ problem: 'The server does not answer.' }),
    );
    expect(state.records).toMatchObject({ state: 'failed', problem: 'The server does not answer.' });
    expect(state.records.value).toHaveLength(2);
  });
  it('are none where nothing has failed', () => {
    const state = after(
      a.causesLoaded({ causes: [group as CauseGroup] }),
      a.recordsLoaded({ records: records(1) }),
      a.causesLoaded({ causes: [] }),
    );
    expect(state.records.value).toBeNull();
    expect(state.causes.value).toEqual([]);
  });
  it('show one record at a time, never that of before under another’s name', () => {
    const record = { id: 7 } as FailedRecordDetail;
    const there = after(a.recordOpened({ id: 7 }), a.recordLoaded({ record }));
    expect(failuresFeature.reducer(there, a.recordOpened({ id: 7 })).record).toMatchObject({ value: record });
    expect(failuresFeature.reducer(there, a.recordOpened({ id: 8 })).record.value).toBeNull();
  });
});

describe('a replay', () => {
  const begun = after(a.replay({ replay: {} as never, count: 14 }), a.replayStarted({ run: 4 }));
  it('ends with the run that it became, whoever tells it first', () => {
    expect(begun.replay).toEqual({ count: 14, run: 4, outcome: null, problem: null });
    const told = failuresFeature.reducer(begun, frameActions.told({ event: { type: 'run', run: run(4, 'now') } }));
    expect(told.replay!.outcome!.id).toBe(4);
    expect(failuresFeature.reducer(begun, a.replayEnded({ run: run(4, 'now') })).replay!.outcome!.id).toBe(4);
  });
  it('goes on while its run does, and minds no other', () => {
    for (const event of [run(4, null), run(5, 'now')])
      expect(failuresFeature.reducer(begun, frameActions.told({ event: { type: 'run', run: event } })).replay).toEqual(
        begun.replay,
      );
  });
  it('says why it could not begin, until the next one', () => {
    const refused = after(a.replay({ replay: {} as never, count: 1 }), a.replayFailed({ problem: 'No revision.' }));
    expect(refused.replay).toMatchObject({ problem: 'No revision.', run: null });
    expect(failuresFeature.reducer(refused, a.replay({ replay: {} as never, count: 2 })).replay!.problem).toBeNull();
    expect(failuresFeature.reducer(refused, a.left()).replay).toBeNull();
  });
});
