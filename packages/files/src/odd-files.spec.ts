import { mkdtempSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Unreadable } from '@versicle/core';
import { lookAt, recordsOf } from './index.ts';
import { notOpened } from './open-file.ts';

let folder: string;
beforeAll(() => (folder = mkdtempSync(join(tmpdir(), 'versicle-odd-'))));
afterAll(() => rmSync(folder, { recursive: true }));

/** The values of each record, or why there are none; or why there are no records. */
async function read(name: string, text: string): Promise<string | unknown[]> {
  const path = join(folder, name);
  writeFileSync(path, text);
  try {
    const { format } = await lookAt(path);
    const rows: unknown[] = [];
    for await (const batch of recordsOf(path, name, format))
      for (const row of batch.rows) rows.push(row instanceof Unreadable ? row.message : row);
    return rows;
  } catch (error) {
    return (error as Error).message;
  }
}
const long = 'x'.repeat(900_000);

describe('JSON', () => {
  it.each([
    ['hello, world', 'there is “hello, world” outside any list or object'],
    ['5', 'there is “5” outside any list or object'],
    ['null', 'there is “null” outside any list or object'],
    ['[]', 'It holds no records: its list is empty.'],
    ['[[1,2],[3,4]]', 'Its records are lists of values without names'],
    ['{"items":[]}', 'Its records have nothing in them yet'],
    ['[{"a":1', 'There is no whole record'],
    ['[{"a":01}]', 'Its first record can’t be read'.replace('’', "'")],
  ])('that holds no records says so: %s', async (text, expected) => {
    expect(await read('odd.json', text)).toContain(expected);
  });
  it('of objects, values and lists has a record for each', async () => {
    expect(await read('mixed.json', '[{"a":1},5,[1],{"a":2}]')).toEqual([
      ['1', '1', null],
      ['2', null, '5'],
      'The record is a list of values without names.',
      ['4', '2', null],
    ]);
  });
  it('is learned from, also where its first record is longer than what is looked at first', async () => {
    expect(await read('long.json', JSON.stringify([{ a: long, b: long }, { a: '2' }]))).toEqual([
      ['1', long, long],
      ['2', '2', null],
    ]);
  });
});

describe('XML', () => {
  const row = (inside: string): string => `<r><o><a>1</a></o>${inside}<o><a>3</a></o></r>`;
  it.each([
    ['a reference to no character', '<o><a>2&#0;</a></o>', 'names a character that XML does not allow'],
    ['half a character', '<o a="&#xD800;"><a>2</a></o>', 'names a character that XML does not allow'],
    ['an entity without a name', '<o><a>2&;</a></o>', 'nothing behind it but a semicolon'],
    ['the end of a section in text', '<o><a>2]]></a></o>', 'It has ]]> in its text'],
    ['an undefined entity', '<o><a>&nbsp;2</a></o>', 'not one of the five of XML'],
    ['an attribute twice', '<o x="1" x="2"><a>2</a></o>', 'It has the attribute “x” twice.'],
    ['an attribute twice further down', '<o><a x="1" x="2">2</a></o>', 'It has the attribute “x” twice.'],
    ['an entity in an attribute', '<o x="&copy;"><a>2</a></o>', 'not one of the five of XML'],
    ['a control character', '<o><a>2\u0001</a></o>', 'a character that XML does not allow'],
  ])('with %s loses that record, and reads on', async (_, inside, expected) => {
    const [first, wrong, last, ...more] = (await read('odd.xml', row(inside))) as [string[], string, string[]];
    expect([first.includes('1'), last.includes('3'), more]).toEqual([true, true, []]);
    expect(wrong).toContain(expected);
  });
  it('that is not sound any more is not read on', async () => {
    const said = async (inside: string): Promise<string> =>
      ((await read('broken.xml', row(inside))) as string[]).at(-1)!;
    expect(await said('<o><b>2</a></o>')).toContain('The rest of the file was not read.');
    for (const text of ['AT&T', 'A & B', 'A & B;', 'A & B</a></o><o><a>C;'])
      expect(await said(`<o><a>${text}</a></o>`)).toContain(
        'there is a bare & in it (in XML it is written &amp;). The rest',
      );
  });
  it('may have a document type declaration, unless that changes what is in it', async () => {
    const body = '<r><o><a>1</a></o><o><a>2</a></o></r>';
    const read2 = [
      ['1', '1'],
      ['2', '2'],
    ];
    const subset =
      '<!DOCTYPE r SYSTEM "r.dtd" [<!ELEMENT r (o*)> <!-- <!ENTITY x "y"> ]> --> <!ATTLIST o x CDATA #IMPLIED>]>';
    expect(await read('type.xml', `<?xml version="1.0"?><!DOCTYPE r>${body}`)).toEqual(read2);
    expect(await read('type.xml', `${subset}${body}`)).toEqual(read2);
    expect(await read('type.xml', `<!DOCTYPE r [<!ENTITY x "y">]>${body}`)).toContain('defines entities');
    expect(await read('type.xml', `<!DOCTYPE r [<!ATTLIST o x CDATA "1">]>${body}`)).toContain(
      'defines values of attributes',
    );
  });
});

describe('a file that can’t be opened', () => {
  it('says why', async () => {
    const loop = join(folder, 'loop.csv');
    symlinkSync(loop, loop);
    await expect(lookAt(loop)).rejects.toThrow("loop.csv can't be read: it is a link that leads to itself.");
    const gone = join(folder, 'gone.xlsx');
    await expect(lookAt(gone)).rejects.toThrow("gone.xlsx can't be read: it is not there any more.");
    expect(notOpened(Object.assign(new Error(), { code: 'EACCES' }), 'a.csv').message).toBe(
      "a.csv can't be read: the user that Versicle runs as has no right to.",
    );
  });
  it('is told from one that is damaged where a password protects it', async () => {
    expect(await read('secret.xlsx', '\u00d0')).toContain('not a sound ZIP archive');
    writeFileSync(join(folder, 'locked.xlsx'), Buffer.from('d0cf11e0a1b11ae100000000', 'hex'));
    await expect(lookAt(join(folder, 'locked.xlsx'))).rejects.toThrow('is protected by a password');
  });
});

describe('delimited text', () => {
  it('may have a header that is longer than what is looked at first', async () => {
    const names = Array.from({ length: 9000 }, (_, i) => `column_number_${i}`);
    const path = join(folder, 'wide.csv');
    writeFileSync(path, `${names.join(',')}\n${names.map((_, i) => i).join(',')}\n`);
    expect((await lookAt(path)).fields).toEqual(names);
    expect(await read('wide.csv', `${names.join(',')}\n${names.map((_, i) => i).join(',')}\n`)).toEqual([
      names.map((_, i) => String(i)),
    ]);
  });
});
