import type { CodeTable } from '@versicle/contract';
import { codesActions as a, codesFeature } from './codes.feature';

type State = ReturnType<typeof codesFeature.reducer>;
const after = (...actions: Parameters<typeof codesFeature.reducer>[1][]): State =>
  actions.reduce(codesFeature.reducer, codesFeature.reducer(undefined, { type: 'init' }));
const table = (name: string): CodeTable => ({ name }) as CodeTable;

describe('a code table on its page', () => {
  it('stays while it is read again, and goes when another is opened', () => {
    const there = after(a.opened({ name: 'tariff' }), a.loaded({ table: table('tariff') }));
    expect(codesFeature.reducer(there, a.opened({ name: 'tariff' })).table).toMatchObject({
      state: 'loading',
      value: { name: 'tariff' },
    });
    expect(codesFeature.reducer(there, a.opened({ name: 'faults' })).table).toMatchObject({
      state: 'loading',
      value: null,
    });
  });
  it('forgets what was refused as soon as something works', () => {
    const refused = after(a.opened({ name: 'tariff' }), a.refused({ problem: 'The code Z stands twice.' }));
    expect(refused.refused).toBe('The code Z stands twice.');
    for (const next of [a.loaded({ table: table('tariff') }), a.opened({ name: 'tariff' }), a.listOpened()])
      expect(codesFeature.reducer(refused, next).refused).toBeNull();
  });
  it('keeps answers to the codes of one table apart from another’s', () => {
    const answers = [{ code: 'A' }] as never;
    const there = after(a.opened({ name: 'tariff' }), a.loaded({ table: table('tariff') }), a.translated({ answers }));
    expect(codesFeature.reducer(there, a.opened({ name: 'tariff' })).answers).toBe(answers);
    expect(codesFeature.reducer(there, a.opened({ name: 'faults' })).answers).toEqual([]);
  });
  it('looks at a file until it is taken or dropped', () => {
    const read = { read: {} as never, fileName: 'codes.csv' };
    const there = after(a.opened({ name: 'tariff' }), a.fileRead(read));
    expect(there.file!.name).toBe('codes.csv');
    expect(codesFeature.reducer(there, a.fileDropped()).file).toBeNull();
  });
});
