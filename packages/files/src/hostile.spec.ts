import { spawnSync } from 'node:child_process';
import { createWriteStream, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { deflateRawSync, gzipSync } from 'node:zlib';
import { once } from 'node:events';
import { build } from 'esbuild';

/**
 * Files that mean harm, or are broken. Each is read in a process of its own, so that its memory can be measured: none may
 * take more than 300 MB above an empty read, and each gets its sentence.
 */
let folder: string;
let program: string;
let base = 0;
const put = (name: string, data: string | Uint8Array): string => {
  writeFileSync(join(folder, name), data);
  return join(folder, name);
};

interface Outcome {
  readonly rows: number;
  readonly unreadable: readonly string[];
  readonly error: string | null;
  /** Largest resident memory, in MB. */
  readonly memory: number;
}
function read(path: string): Outcome {
  const child = spawnSync(process.execPath, [program, path], { encoding: 'utf8', timeout: 60_000, maxBuffer: 1e8 });
  if (child.status !== 0) throw new Error(`${child.signal ?? ''} ${child.stderr}`);
  const outcome = JSON.parse(child.stdout) as Outcome;
  expect(outcome.memory - base).toBeLessThan(300);
  return outcome;
}

beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'versicle-hostile-'));
  const entry = put(
    'read.ts',
    `import { lookAt, recordsOf } from ${JSON.stringify(join(__dirname, 'index.ts'))};
     import { readFileSync } from 'node:fs';
     import { Unreadable } from '@versicle/core';
     const [path] = process.argv.slice(2);
     const name = path.split('/').at(-1);
     let rows = 0, error = null; const unreadable = [];
     try {
       const look = await lookAt(path);
       for await (const batch of recordsOf(path, name, look.format))
         for (const row of batch.rows) if (row instanceof Unreadable) { if (unreadable.length < 5) unreadable.push(row.message); } else rows++;
     } catch (e) { if (e.name !== 'Fault') throw e; error = e.message; }
     // Its own high-water mark: what getrusage tells begins with that of the process which started it.
     const memory = Number(/VmHWM:\\s*(\\d+)/.exec(readFileSync('/proc/self/status', 'utf8'))[1]) / 1024;
     console.log(JSON.stringify({ rows, unreadable, error, memory }));`,
  );
  program = join(folder, 'read.mjs');
  await build({
    entryPoints: [entry],
    outfile: program,
    bundle: true,
    platform: 'node',
    format: 'esm',
    nodePaths: [join(__dirname, '../../../node_modules')],
    banner: { js: "import { createRequire } from 'node:module'; const require = createRequire(import.meta.url);" },
    external: ['exceljs'],
    logLevel: 'error',
  });
  base = read(put('small.csv', 'a,b\n1,2\n')).memory;
});
afterAll(() => rmSync(folder, { recursive: true }));

/** A ZIP archive with deflated parts; `claimed` sizes may lie. */
function zip(parts: readonly { name: string; packed: Buffer; size: number }[]): Buffer {
  const locals: Buffer[] = [];
  const central: Buffer[] = [];
  let offset = 0;
  for (const { name, packed, size } of parts) {
    const head = Buffer.alloc(30);
    head.writeUInt32LE(0x04034b50, 0);
    head.writeUInt16LE(20, 4);
    head.writeUInt16LE(8, 8);
    head.writeUInt32LE(packed.length, 18);
    head.writeUInt32LE(size, 22);
    head.writeUInt16LE(name.length, 26);
    locals.push(head, Buffer.from(name), packed);
    const entry = Buffer.alloc(46);
    entry.writeUInt32LE(0x02014b50, 0);
    entry.writeUInt16LE(20, 4);
    entry.writeUInt16LE(20, 6);
    entry.writeUInt16LE(8, 10);
    entry.writeUInt32LE(packed.length, 20);
    entry.writeUInt32LE(size, 24);
    entry.writeUInt16LE(name.length, 28);
    entry.writeUInt32LE(offset, 42);
    central.push(entry, Buffer.from(name));
    offset += 30 + name.length + packed.length;
  }
  const end = Buffer.alloc(22);
  const size = central.reduce((sum, b) => sum + b.length, 0);
  end.writeUInt32LE(0x06054b50, 0);
  end.writeUInt16LE(parts.length, 8);
  end.writeUInt16LE(parts.length, 10);
  end.writeUInt32LE(size, 12);
  end.writeUInt32LE(offset, 16);
  return Buffer.concat([...locals, ...central, end]);
}
function workbook(sheet: string, claimed?: number): Buffer {
  const part = (name: string, text: string, size = Buffer.byteLength(text)) => ({
    name,
    packed: deflateRawSync(text, { level: 9 }),
    size,
  });
  return zip([
    part(
      'xl/workbook.xml',
      '<workbook><sheets><sheet name="S" sheetId="1" r:id="r1" xmlns:r="x"/></sheets></workbook>',
    ),
    part(
      'xl/_rels/workbook.xml.rels',
      '<Relationships><Relationship Id="r1" Target="worksheets/s.xml"/></Relationships>',
    ),
    part('xl/worksheets/s.xml', sheet, claimed),
  ]);
}

it('a ZIP bomb is not unpacked: 0.8 MB that say they are 800 MB', () => {
  const sheet = `<worksheet><sheetData>${'<row><c><v>1</v></c></row>'.repeat(8_000_000)}</sheetData></worksheet>`;
  const file = workbook(sheet.slice(0, 200_000_000));
  expect(file.length).toBeLessThan(1_500_000);
  expect(read(put('bomb.xlsx', file)).error).toMatch(/packed and says it is .* MB unpacked/);
});
it('a ZIP bomb that lies about its size is stopped where it leaves its word', () => {
  const sheet = `<worksheet><sheetData>${'<row><c><v>1</v></c></row>'.repeat(3_000_000)}`;
  expect(read(put('liar.xlsx', workbook(sheet, 5000))).error).toMatch(/damaged or cut short/);
});
it('a truncated workbook and a truncated gzip say so', () => {
  const whole = workbook('<worksheet><sheetData><row><c t="str"><v>a</v></c></row></sheetData></worksheet>');
  expect(read(put('cut.xlsx', whole.subarray(0, whole.length - 30))).error).toMatch(/not a sound ZIP archive/);
  const packed = gzipSync('a,b\n'.repeat(100_000));
  expect(read(put('cut.csv.gz', packed.subarray(0, packed.length - 20))).error).toMatch(/damaged or cut short/);
});
it('XML with entities is refused, not expanded', () => {
  const lol = `<!DOCTYPE l [<!ENTITY a "aaaaaaaaaa">${Array.from({ length: 9 }, (_, i) => `<!ENTITY ${'bcdefghij'[i]} "${`&${'abcdefghi'[i]};`.repeat(10)}">`).join('')}]><l><x>&j;</x></l>`;
  expect(read(put('entities.xml', lol)).error).toMatch(/document type declaration/);
  const outside = '<!DOCTYPE a [<!ENTITY x SYSTEM "file:///etc/passwd">]><a><b>&x;</b></a>';
  expect(read(put('outside.xml', outside)).error).toMatch(/document type declaration/);
});
it('200,000 levels of XML or JSON end with a sentence', () => {
  expect(read(put('deep.xml', `${'<a>'.repeat(200_000)}${'</a>'.repeat(200_000)}`)).error).toMatch(/100 levels/);
  expect(read(put('deep.json', `${'['.repeat(200_000)}${']'.repeat(200_000)}`)).error).toMatch(
    /levels|no whole record/,
  );
  const later = `[{"a":1},{"a":${'['.repeat(200_000)}${']'.repeat(200_000)}},{"a":3}]`;
  expect(read(put('later.json', later))).toMatchObject({ rows: 2, unreadable: [expect.stringMatching(/100 levels/)] });
});
it('60 MB of an unterminated quote are no record, and take no memory', async () => {
  const path = join(folder, 'quote.csv');
  const stream = createWriteStream(path);
  stream.write('a,b\n1,2\n3,"');
  for (let i = 0; i < 60; i++) if (!stream.write('x'.repeat(1_000_000))) await once(stream, 'drain');
  stream.end();
  await once(stream, 'finish');
  const outcome = read(path);
  expect(outcome.rows).toBe(1);
  expect(outcome.unreadable.length + (outcome.error ? 1 : 0)).toBeGreaterThan(0);
});
it('60 MB of one JSON text are one unreadable record', async () => {
  const path = join(folder, 'long.json');
  const stream = createWriteStream(path);
  stream.write('[{"a":1},{"a":"');
  for (let i = 0; i < 60; i++) if (!stream.write('x'.repeat(1_000_000))) await once(stream, 'drain');
  stream.end('"},{"a":3}]');
  await once(stream, 'finish');
  expect(read(path)).toMatchObject({ rows: 2, unreadable: [expect.stringMatching(/longer than/)] });
});
it.each([
  ['a bare & without a semicolon', '<a>B&'],
  ['a comment without an end', '<!-- '],
  ['an attribute without an end', '<o x="'],
  ['a text of 60 MB', '<o><a>'],
])('XML with %s is read up to there, and takes no memory', async (_, begins) => {
  const path = join(folder, 'open.xml');
  const stream = createWriteStream(path);
  stream.write(`<r><o><a>1</a></o><o><a>2</a></o>${begins}`);
  for (let i = 0; i < 60; i++) if (!stream.write('x'.repeat(1_000_000))) await once(stream, 'drain');
  stream.end();
  await once(stream, 'finish');
  expect(read(path)).toMatchObject({
    rows: 2,
    unreadable: [expect.stringMatching(/The rest of the file was not read/)],
  });
});
it('a workbook whose rows are numbered beyond all rows is refused, and long whole numbers keep their digits', () => {
  const sheet = (rows: string): Buffer => workbook(`<worksheet><sheetData>${rows}</sheetData></worksheet>`);
  const row = (n: string, value: string): string => `<row r="${n}"><c r="A${n}"><v>${value}</v></c></row>`;
  for (const odd of ['4000000000', '0', '1.5', 'x'])
    expect(read(put('rows.xlsx', sheet(row('1', '1') + row(odd, '2')))).error).toMatch(/rows end at 1,048,576/);
  expect(read(put('digits.xlsx', sheet(row('1', '12345678901234567890')))).error ?? '').not.toMatch(/rows end/);
});
it('a workbook with one cell far to the right has as wide records, and takes no memory for it', () => {
  const rows = Array.from({ length: 3000 }, (_, i) => `<row r="${i + 2}"><c r="A${i + 2}"><v>${i}</v></c></row>`).join(
    '',
  );
  const far = `<row r="1"><c r="A1"><v>1</v></c><c r="ACNW1"><v>2</v></c></row>`;
  expect(read(put('far.xlsx', workbook(`<worksheet><sheetData>${far}${rows}</sheetData></worksheet>`)))).toMatchObject({
    rows: 3001,
    error: null,
  });
});
it('10,000 columns are read', () => {
  const header = Array.from({ length: 10_000 }, (_, i) => `c${i}`).join(';');
  const row = Array.from({ length: 10_000 }, (_, i) => i).join(';');
  expect(read(put('wide.csv', `${header}\n${`${row}\n`.repeat(50)}`))).toMatchObject({ rows: 50, error: null });
});
it('a wrong ending is seen through', () => {
  expect(read(put('book.csv', workbook('<worksheet/>'))).error).toMatch(/ZIP archive or a workbook/);
  expect(read(put('text.xlsx', 'a;b\n1;2\n')).error).toMatch(/not a sound ZIP archive/);
  expect(read(put('other.zip.xlsx', zip([]))).error).toMatch(/not a workbook|ZIP/);
});
it('UTF-16 is read, and mixed encodings cost only their rows', () => {
  const utf16 = Buffer.concat([Buffer.from([0xff, 0xfe]), Buffer.from('a;b\n1;Ödman\n', 'utf16le')]);
  expect(read(put('utf16.csv', utf16))).toMatchObject({ rows: 1, unreadable: [] });
  const mixed = Buffer.concat([
    Buffer.from(`a;b\n${'1;Ödman\n'.repeat(40)}`),
    Buffer.from('2;M\xfcller\n', 'latin1'),
    Buffer.from('3;Tarn\n'),
  ]);
  expect(read(put('mixed.csv', mixed))).toMatchObject({ rows: 41, unreadable: [expect.stringMatching(/encoding/)] });
});
