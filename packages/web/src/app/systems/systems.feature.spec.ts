import type { DatasetDetail, Rows, System } from '@versicle/contract';
import { systemsActions as a, systemsFeature } from './systems.feature';

type State = ReturnType<typeof systemsFeature.reducer>;
const after = (...actions: Parameters<typeof systemsFeature.reducer>[1][]): State =>
  actions.reduce(systemsFeature.reducer, systemsFeature.reducer(undefined, { type: 'init' }));
const system = (id: string, name = id): System => ({ id, name }) as System;
const detail = (name: string): DatasetDetail => ({ name }) as DatasetDetail;
const rows = { rows: [], fields: ['a'] } as unknown as Rows;
const opened = (name: string) => a.datasetOpened({ id: 'tidebridge', name, filter: '', sort: '', limit: 100 });

describe('systems', () => {
  it('are changed in the list where they stand', () => {
    const state = after(
      a.loaded({ systems: [system('a'), system('b')] }),
      a.changed({ system: system('b', 'Workshop register') }),
    );
    expect(state.systems.value!.map((s) => s.name)).toEqual(['a', 'Workshop register']);
  });
  it('keep a secret that was made for the one that it belongs to', () => {
    const made = { ...system('hooks'), madeSecret: 'shown once' };
    expect(after(a.created({ system: made })).madeSecret).toEqual({ id: 'hooks', secret: 'shown once' });
    expect(after(a.created({ system: made }), a.created({ system: system('other') })).madeSecret).toBeNull();
  });
  it('say what could not be done until the next try', () => {
    const refused = after(a.test({ id: 'a' }), a.actFailed({ problem: 'It does not answer.' }));
    expect(refused).toMatchObject({ problem: 'It does not answer.', testing: null });
    for (const next of [a.test({ id: 'a' }), a.remove({ id: 'a' }), a.opened()])
      expect(systemsFeature.reducer(refused, next).problem).toBeNull();
  });
});

describe('a dataset', () => {
  const there = after(
    opened('stations.csv'),
    a.structureLoaded({ detail: detail('stations.csv') }),
    a.rowsLoaded({ rows }),
  );
  it('keeps its rows while others of it are read, and shows none of another', () => {
    expect(systemsFeature.reducer(there, opened('stations.csv')).rows).toMatchObject({ state: 'loading', value: rows });
    const other = systemsFeature.reducer(there, opened('trips.csv'));
    expect([other.rows.value, other.structure.value]).toEqual([null, null]);
  });
  it('goes on being read as it was when a choice is refused', () => {
    const settle = a.settle({ id: 'tidebridge', dataset: 'stations.csv', setting: {} as never });
    const busy = systemsFeature.reducer(there, settle);
    expect(busy.settling).toEqual({ busy: 'reading', problem: null, learned: null });
    const refused = systemsFeature.reducer(busy, a.settleFailed({ problem: 'A separator is one character.' }));
    expect(refused.settling).toEqual({ busy: false, problem: 'A separator is one character.', learned: null });
    expect(refused.structure.value!.name).toBe('stations.csv');
    const settled = systemsFeature.reducer(refused, a.settled({ id: 'tidebridge', detail: detail('stations.csv') }));
    expect(settled.settling.problem).toBeNull();
    // All records are read while somebody waits on the page of that dataset.
    const learning = systemsFeature.reducer(there, a.learn({ id: 'files', dataset: 'trips.json' }));
    expect(learning.settling.busy).toBe('learning');
    expect(systemsFeature.reducer(learning, a.datasetLeft()).settling.busy).toBe(false);
  });
});
