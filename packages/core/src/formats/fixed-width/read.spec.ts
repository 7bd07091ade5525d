import { FixedWidthReader } from './read.ts';
import { Unreadable } from '../format.ts';
import type { FixedWidthFormat } from './settings.ts';
import { sniffFormat } from '../sniff.ts';

const FORMAT: FixedWidthFormat = {
  kind: 'fixed',
  encoding: 'utf-8',
  skipLines: 0,
  columns: [
    { name: 'no', from: 1, width: 5 },
    { name: 'name', from: 6, width: 10 },
    { name: 'bikes', from: 16, width: 3 },
  ],
  emptyIsNull: true,
};
function read(
  text: string,
  format: FixedWidthFormat = FORMAT,
): { rows: unknown[]; unknown: Record<string, { count: number; row: number }> } {
  const reader = new FixedWidthReader(format);
  const bytes = new TextEncoder().encode(text);
  const batches = [];
  for (let at = 0; at < bytes.length; at += 5) batches.push(reader.push(bytes.subarray(at, at + 5)));
  batches.push(reader.end());
  return {
    rows: batches.flatMap((b) => b.rows).map((row) => (row instanceof Unreadable ? row.message : row)),
    unknown: Object.fromEntries(batches.flatMap((b) => [...(b.unknown ?? [])])),
  };
}
const bytesOf = (text: string): number => new TextEncoder().encode(text).length;
const lineInBytes = (no: string, name: string, bikes: string): string =>
  no.padEnd(5) + name + ' '.repeat(10 - bytesOf(name)) + bikes.padStart(3);

describe('text of fixed width', () => {
  it('counts characters, also those that take two units', () => {
    expect(read('00417Ines 🙂    12\n00418Bäcker     7').rows).toEqual([
      ['00417', 'Ines 🙂', '12'],
      ['00418', 'Bäcker', '7'],
    ]);
  });
  it('counts bytes where its file was made that way, and says so where a place is within a character', () => {
    const format = { ...FORMAT, counts: 'bytes' as const };
    const lines = [lineInBytes('00417', 'Bäcker', '12'), lineInBytes('00418', 'Ines', '7')];
    expect(read(lines.join('\n'), format).rows).toEqual([
      ['00417', 'Bäcker', '12'],
      ['00418', 'Ines', '7'],
    ]);
    const within = { ...format, columns: [{ name: 'no', from: 1, width: 7 }, ...FORMAT.columns.slice(2)] };
    expect(read(lines[0]!, within).rows).toEqual([
      'A column begins or ends within a character; are its places counted in bytes?',
    ]);
  });
  it('is guessed with bytes where the lines are of one length in those only', () => {
    const lines = [
      ['00417', 'Bäcker', '12'],
      ['00418', 'Ines', '7'],
      ['00419', 'Ölmühl', '3'],
      ['00420', 'Tom', '11'],
    ].map(([no, name, bikes]) => lineInBytes(`${no!} `.slice(0, 5), ` ${name!}`, bikes!));
    const bytes = new TextEncoder().encode(`${lines.join('\n')}\n`);
    const { format } = sniffFormat(bytes, 'members.txt');
    expect(format).toMatchObject({ kind: 'fixed', counts: 'bytes' });
    expect(read(lines.join('\n'), format as FixedWidthFormat).rows[2]).toEqual(['00419', 'Ölmühl', '3']);
  });
  it('passes over lines above the records, blank ones among them', () => {
    expect(read('MEMBERS\n\n00417Ines       12\n', { ...FORMAT, skipLines: 2 }).rows).toEqual([
      ['00417', 'Ines', '12'],
    ]);
  });
  it('whose lines end with a carriage return is guessed and read as such', () => {
    const text = '00417 Ines       12\r00418 Tom         7\r00419 Marlowe     3\r';
    const { format } = sniffFormat(new TextEncoder().encode(text), 'members.txt');
    expect(format).toMatchObject({ kind: 'fixed', newline: '\r' });
    expect(read(text, format as FixedWidthFormat).rows).toEqual([
      ['00417', 'Ines', '12'],
      ['00418', 'Tom', '7'],
      ['00419', 'Marlowe', '3'],
    ]);
  });
  it('cuts no value: what stands behind the last column is told, or makes its record one that says so', () => {
    const { rows, unknown } = read('00417Ines       12 new\n00418Tom       1234\n00419Bo          3');
    expect(rows).toEqual([
      ['00417', 'Ines', '12'],
      '“bikes” goes on behind place 18, where the last column ends; make that column wider.',
      ['00419', 'Bo', '3'],
    ]);
    expect(unknown).toEqual({ 'behind place 18': { count: 1, row: 1 } });
  });
});
