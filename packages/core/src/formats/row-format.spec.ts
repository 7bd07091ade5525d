import fc from 'fast-check';
import { SaxesParser } from 'saxes';
import type { Value } from '../fields/values.ts';
import { ByteWriter } from './text/byte-writer.ts';
import { rowFormat, type TextOutput } from './row-format.ts';
import type { OutField } from './output.ts';

const field = (name: string, length = 6): OutField => ({
  name,
  type: { value: 'text', sql: `varchar(${length})`, length },
});
const fields = [field('no'), field('a b')];
const cell = fc.option(
  fc.oneof(
    fc.string({ maxLength: 7 }),
    fc.constantFrom('', ' x ', '\u0001', 'a\u000bb', '\ufffe', '\r', 'a\nb', '<b>&amp;', ']]>', '😀', '\u0085'),
  ),
);
const rows = fc.array(fc.tuple(cell, cell), { maxLength: 6 });

function written(kind: TextOutput, all: readonly (readonly Value[])[]): { text: string; kept: Value[][] } {
  const format = rowFormat(kind, fields);
  const out = new ByteWriter();
  const kept = all.filter((values) => format.cantWrite(values) === null);
  format.begin(out);
  for (const values of kept) format.row(out, values);
  format.end(out);
  return { text: new TextDecoder('utf-8', { ignoreBOM: true }).decode(out.take()), kept: kept.map((r) => [...r]) };
}

describe('records as text of a file', () => {
  it('XML: another parser reads every value that can be written, and the others are refused', () => {
    fc.assert(
      fc.property(rows, (all) => {
        const { text, kept } = written('xml', all);
        const read: Record<string, string>[] = [];
        let at: string | null = null;
        const parser = new SaxesParser();
        parser.on('error', (error) => {
          throw error;
        });
        parser.on('opentag', ({ name }) => {
          if (name === 'record') read.push({});
          else if (name !== 'records') read.at(-1)![(at = name)] = '';
        });
        parser.on('text', (piece) => {
          if (at !== null) read.at(-1)![at] += piece;
        });
        parser.on('closetag', () => (at = null));
        parser.write(text).close();
        expect(read.map((r) => [r['no'] ?? null, r['a_b'] ?? null])).toEqual(kept);
        // eslint-disable-next-line no-control-regex -- control characters are what is looked for
        const never = /[\u0000-\u0008\u000b\u000c\u000e-\u001f\ufffe\uffff]/;
        expect(kept).toEqual(all.filter((r) => !r.some((v) => v !== null && never.test(v))));
      }),
      { numRuns: 300 },
    );
  });

  it('fixed width: every record is one line of the same width', () => {
    fc.assert(
      fc.property(rows, (all) => {
        const { text, kept } = written('fixed', all);
        const lines = text.split('\n').slice(0, -1);
        expect(lines.map((l) => l.length)).toEqual(kept.map(() => 12));
        expect(lines.map((l) => l.slice(0, 6))).toEqual(kept.map(([no]) => String(no ?? '').padEnd(6)));
      }),
    );
  });

  it('says which field a value does not fit into, and why', () => {
    const fixed = rowFormat('fixed', fields);
    expect(fixed.cantWrite(['1', 'seven 7'])).toEqual({
      field: 'a b',
      message: '“seven 7” does not fit into 6 characters of one line',
    });
    expect(rowFormat('xml', fields).cantWrite(['\u0007', 'x'])!.field).toBe('no');
    expect(rowFormat('json', fields).cantWrite(['\u0007', 'x'])).toBeNull();
  });
  it('refuses fields that would be one element', () => {
    expect(() => rowFormat('xml', [field('a b'), field('a_b')])).toThrow(
      'The fields a b and a_b would both be the element a_b',
    );
  });
});
