import type { LearnedFormat } from '@versicle/core';
import { withLearned } from './with-learned.ts';

const learned = (fields: string[], records = 'items') =>
  ({
    kind: 'json',
    encoding: 'utf-8',
    records,
    structures: [{ path: '', fields }],
    part: '',
    withDoc: false,
  }) satisfies LearnedFormat;

describe('what was learned of a dataset', () => {
  const format = learned(['a', 'b']);
  it('keeps what was settled meanwhile', () => {
    const now = { ...learned(['a']), encoding: 'windows-1252' as const, unknown: 'refused' as const };
    expect(withLearned(now, format)).toEqual({ ...now, structures: format.structures });
    const beside = ['totals'];
    expect(withLearned(now, { ...format, beside })).toEqual({ ...now, structures: format.structures, beside });
  });
  it('is none of a format that reads other records now', () => {
    expect(withLearned(learned(['a'], 'others'), format)).toBeNull();
    expect(withLearned({ kind: 'jsonl', encoding: 'utf-8' }, format)).toBeNull();
  });
});
