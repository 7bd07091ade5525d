import { Unreadable } from '../format.ts';
import type { JsonFormat } from './settings.ts';
import type { StreamFormat } from '../file-format.ts';
import { readerFor, sampleFields } from '../read.ts';
import { sniffFormat } from '../sniff.ts';

const JSON_FORMAT: JsonFormat = {
  kind: 'json',
  encoding: 'utf-8',
  records: '',
  structures: [{ path: '', fields: ['a'] }],
  part: '',
  withDoc: false,
};
/** Bytes of a text in which `ÿ` stands for one that no UTF-8 has. */
const bytes = (text: string): Uint8Array =>
  Uint8Array.from(Array.from(text).flatMap((c) => (c === 'ÿ' ? [0xff] : [...new TextEncoder().encode(c)])));
/** The value of `a` in each record, or why there is none. */
function values(text: string, format: StreamFormat = JSON_FORMAT, size = 4): unknown[] {
  const reader = readerFor(format, format.kind === 'jsonl' ? ['a'] : null);
  const all = bytes(text);
  const rows = [];
  for (let at = 0; at < all.length; at += size) rows.push(...reader.push(all.subarray(at, at + size)).rows);
  rows.push(...reader.end().rows);
  return rows.map((row) => (row instanceof Unreadable ? row.message : row.at(-1)));
}

const BAD = 'The record has bytes that are not in the file’s encoding; choose its real encoding or mend the record.';

describe('JSON', () => {
  it.each([1, 7, 1000])('with a bad byte loses that record, not the one behind it (%s bytes at a time)', (size) => {
    const lines = '[{"a":"xÿ"},\n{"a":"2"},\n{"a":"3"}]';
    expect(values(lines, JSON_FORMAT, size)).toEqual([BAD, '2', '3']);
    expect(values('[{"a":"1"},{"a":"ÿ"},{"a":"3"}]', JSON_FORMAT, size)).toEqual(['1', BAD, '3']);
    expect(values('[\n{\n"a":"xÿ"\n},\n{"a":"2"}]', JSON_FORMAT, size)).toEqual([BAD, '2']);
  });
  it('shows where the bad byte stands', () => {
    const [row] = readerFor(JSON_FORMAT).push(bytes('[{"a":"xÿy"}]')).rows;
    expect((row as Unreadable).raw).toBe('{"a":"x\ufffdy"}');
  });
  it.each([
    ['[,{"a":1}]', ['There is no record before a comma of the list.', '1']],
    ['[{"a":1},,{"a":2}]', ['1', 'There is no record before a comma of the list.', '2']],
    ['[{"a":1},]', ['1', 'There is no record behind a comma of the list.']],
    ['[{"a":1} , {"a":2}\n]', ['1', '2']],
    ['[]', []],
  ])('%s has a record that says so for each comma too many', (text, expected) => {
    for (const size of [1, 100]) expect(values(text, JSON_FORMAT, size)).toEqual(expected);
  });
  const TOO_MANY = 'There is a } too many in the list, or a ] too many before it.';
  it.each([
    ['[{"a":[""]]},{"a":2}]', [expect.stringContaining('JSON is wrong'), TOO_MANY, '2']],
    ['[{"a":1}},{"a":2}]', ['1', TOO_MANY, '2']],
    ['[}', [TOO_MANY, expect.stringContaining('ends in the middle')]],
  ])('%s has a bracket too many, and an end', (text, expected) => {
    for (const size of [1, 100]) expect(values(text, JSON_FORMAT, size)).toEqual(expected);
  });
  it('that is none beside its records says so once', () => {
    const format = { ...JSON_FORMAT, records: 'items' };
    const beside = 'Beside the records there is something that is no JSON.';
    expect(values('{"n":-1.5e3,"ok":true,"items":[{"a":1}],"none":null}', format)).toEqual(['1']);
    expect(values('{"n":5%,"items":[{"a":1}],"x":\'y\'}', format)).toEqual([beside, '1']);
    expect(values('{"items":[{"a":1}]&}', format)).toEqual(['1', beside]);
    expect(values('{"x\u0000":1,"items":[{"a":1}]}', format)).toEqual([beside, '1']);
  });
  it('with half of a character is not read as another text', () => {
    expect(values('[{"a":"\\ud83d\\ude42"},{"a":"\\ud83d"},{"a":"\\ude42!"}]')).toEqual([
      '🙂',
      expect.stringContaining('half of a character'),
      expect.stringContaining('half of a character'),
    ]);
  });
  it('with a member that is there twice loses neither value without a word', () => {
    const twice = expect.stringContaining('t has “a” twice, with different values');
    expect(values('[{"a":1,"a":2},{"a":1,"a":1}]')).toEqual([twice, '1']);
    expect(values('{"a":1,"a":2}\n{"a":"x","a":"x"}\n{"a":[1],"a":[2]}', { kind: 'jsonl', encoding: 'utf-8' })).toEqual(
      [twice, 'x', twice],
    );
  });
});

describe('JSON Lines', () => {
  it('has the members of its last line, too, whether that ends or not', () => {
    const format = { kind: 'jsonl', encoding: 'utf-8' } as const;
    expect(sampleFields(bytes('{"a":1}\n{"a":2,"b":3}'), format)).toEqual(['a', 'b']);
    expect(sampleFields(bytes('{"a":1}\n{"a":2,"b":3'), format)).toEqual(['a']);
  });
});

describe('the end of a line', () => {
  it.each([
    ['a line feed, also where cells hold more carriage returns', 'no;name\n1;a\rb\rc\rd\n2;e\rf\rg\n', '\n'],
    ['a carriage return, also where cells hold more line feeds', 'no;name\r1;a\nb\nc\r', '\r'],
    ['a line feed behind two carriage returns', 'no;name\r\r\n1;a\r\r\n', '\n'],
    ['not within quotes', '"no\nof it";name\r1;a\r', '\r'],
  ])('is %s', (_what, text, newline) => {
    expect(sniffFormat(bytes(text), 'members.csv').format).toMatchObject({ kind: 'delimited', newline });
  });
});

describe('the encoding of a text', () => {
  it.each(['[{"a":"x"},{"a":"ÿ"}]', '{"a":"x"}\n{"a":"ÿ"}\n', '<r><o><a>x</a></o><o><a>ÿ</a></o></r>'])(
    'is UTF-8 where its kind has no other: %s',
    (text) => {
      const { format } = sniffFormat(bytes(text), text.startsWith('<') ? 'orders.xml' : 'orders.json');
      const reader = readerFor(format, format.kind === 'jsonl' ? ['a'] : null);
      const rows = [...reader.push(bytes(text)).rows, ...reader.end().rows];
      expect(rows.map((r) => (r instanceof Unreadable ? r.message : r.at(-1)))).toEqual([
        'x',
        expect.stringMatching(/^The (record|line) has bytes that are not in the file’s encoding; choose/),
      ]);
    },
  );
  it('is UTF-8 where a byte that is not stands for hardly anything in another', () => {
    expect(sniffFormat(bytes('no;name\n1;Mÿller\n'), 'members.csv').format.encoding).toBe('utf-8');
    const declared = new TextEncoder().encode('<?xml version="1.0" encoding="windows-1252"?><r><o><a>M*</a></o></r>');
    expect(
      sniffFormat(
        declared.map((byte) => (byte === 42 ? 0xfc : byte)),
        'orders.xml',
      ).format.encoding,
    ).toBe('windows-1252');
  });
  it('stays UTF-8 where a few bytes are bad, and they make records that say so', () => {
    const text = `no;name\n1;Bäcker\n2;Mÿller\n3;Ines`;
    const { format } = sniffFormat(bytes(text), 'members.csv');
    expect(format.encoding).toBe('utf-8');
    const reader = readerFor(format);
    const rows = [...reader.push(bytes(text)).rows, ...reader.end().rows];
    expect(rows.map((r) => (r instanceof Unreadable ? r.raw : r[1]))).toEqual(['Bäcker', '2;M\ufffdller', 'Ines']);
    const old = Uint8Array.from(Array.from('no;name\n1;Bäcker\n2;Möwe\n', (c) => c.charCodeAt(0)));
    expect(sniffFormat(old, 'members.csv').format.encoding).toBe('windows-1252');
    // Also where the byte that tells is among the last ones.
    for (const cut of [0, 1, 2, 3])
      expect(sniffFormat(old.subarray(0, old.length - 1 - cut), 'members.csv').format.encoding).toBe('windows-1252');
  });
});
