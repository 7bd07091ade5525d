import type { MappingDocument } from '@versicle/core';
import { codeBlock, givenWords, lackingCodes, withCodes } from './line-codes';

const document = (codes: Record<string, unknown>): MappingDocument =>
  ({ codeTables: codes }) as unknown as MappingDocument;

describe('a block of codes', () => {
  it('comes from a spreadsheet program, or with commas or semicolons', () => {
    const codes = [
      { from: 'D', to: 'day' },
      { from: 'M', to: 'month', meaning: 'by the month' },
    ];
    expect(codeBlock('D\tday\nM\tmonth\tby the month\n').codes).toEqual(codes);
    expect(codeBlock('D;day\r\nM;month;by the month').codes).toEqual(codes);
    expect(codeBlock('D,day\nM,month,by the month').codes).toEqual(codes);
  });
  it('keeps a mark that stands in quotes, and every blank of a code', () => {
    expect(codeBlock('"Quay, north",QN\n"say ""D""",d').codes).toEqual([
      { from: 'Quay, north', to: 'QN' },
      { from: 'say "D"', to: 'd' },
    ]);
    expect(codeBlock(' D\tday ').codes).toEqual([{ from: ' D', to: 'day' }]);
  });
  it('says which rows are no codes, and passes over empty ones', () => {
    expect(codeBlock('D\tday\n\njust words\n\tday')).toEqual({
      codes: [{ from: 'D', to: 'day' }],
      left: ['just words', '\tday'],
    });
  });
});

describe('codes of a document', () => {
  it('make the table, change what stands there and follow it', () => {
    const made = withCodes(document({}), 'tariffs', [{ from: 'D', to: 'day', meaning: 'one day' }]).document;
    expect(made.codeTables).toEqual({ tariffs: [{ from: 'D', to: 'day', meaning: 'one day' }] });
    const changed = withCodes(made, 'tariffs', [
      { from: 'M', to: 'month' },
      { from: 'D', to: 'daily' },
    ]);
    expect(changed).toMatchObject({ taken: 2, twice: [], timed: [] });
    expect(changed.document.codeTables['tariffs']).toEqual([
      { from: 'D', to: 'daily', meaning: 'one day' },
      { from: 'M', to: 'month' },
    ]);
  });
  it('leave alone what counts only for a time, and say so', () => {
    const there = [{ from: 'D', to: 'day', validTo: '2026-12-31' }];
    const given = withCodes(document({ tariffs: there }), 'tariffs', [{ from: 'D', to: 'x' }]);
    expect(given.document.codeTables['tariffs']).toEqual(there);
    expect(givenWords(given, [])).toBe('No code was taken. Left as they are, because they count only for a time: D.');
  });
  it('given twice count once, the first, and are named; for times that do not meet both count', () => {
    const twice = withCodes(document({}), 't', [
      { from: 'D', to: 'day' },
      { from: 'D', to: 'daily' },
    ]);
    expect(twice.document.codeTables['t']).toEqual([{ from: 'D', to: 'day' }]);
    expect(givenWords(twice, ['odd'])).toBe(
      'One code was taken. Given twice, the first one counts: D. No codes are in: odd.',
    );
    const times = [
      { from: 'D', to: 'day', validTo: '2026-12-31' },
      { from: 'D', to: 'daily', validFrom: '2027-01-01' },
    ];
    expect(withCodes(document({}), 't', times).document.codeTables['t']).toEqual(times);
  });
  it('are lacking where values have none, the frequent first', () => {
    const of = document({ tariffs: [{ from: 'D', to: 'day' }] });
    expect(lackingCodes(of, 'tariffs', ['D', 'M', null, 'Z', 'M', ''])).toEqual([
      { code: 'M', records: 2 },
      { code: 'Z', records: 1 },
    ]);
    expect(lackingCodes(of, 'none', ['D'])).toHaveLength(1);
  });
});
