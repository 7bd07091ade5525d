import { spawnSync } from 'node:child_process';
import { createReadStream, createWriteStream, mkdtempSync, rmSync, statSync } from 'node:fs';
import { once } from 'node:events';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import ExcelJS from 'exceljs';
import { parse } from 'csv-parse';
import { SaxesParser } from 'saxes';
import type { FileFormat } from '../packages/core/src/index.ts';
import { profileRecords } from '../packages/server/src/profiles/profile-records.ts';
import { lookAt, recordsOf } from '../packages/files/src/index.ts';

/** Each reader, giving records, against a well-known library (or a bare pass) that reads the same file in the same run. */

const ROWS = Number(process.env['BENCH_ROWS'] ?? 200_000);
const home = mkdtempSync(join(tmpdir(), 'versicle-readers-'));
const cell = (row: number, column: number): string => `value ${(row * 31 + column * 7) % 9973}`;
const NAMES = Array.from({ length: 12 }, (_, i) => `field_${i + 1}`);

async function write(
  name: string,
  rows: number,
  head: string,
  line: (row: number) => string,
  foot = '',
): Promise<string> {
  const path = join(home, name);
  const stream = createWriteStream(path);
  stream.write(head);
  let piece = '';
  for (let row = 0; row < rows; row++) {
    piece += line(row);
    if (piece.length > 1e6) {
      if (!stream.write(piece)) await once(stream, 'drain');
      piece = '';
    }
  }
  stream.end(piece + foot);
  await once(stream, 'finish');
  return path;
}

async function ours(path: string, fixed?: FileFormat): Promise<number> {
  const format = fixed ?? (await lookAt(path)).format;
  const started = performance.now();
  let rows = 0;
  for await (const batch of recordsOf(path, path.split('/').at(-1)!, format)) rows += batch.rows.length;
  const seconds = (performance.now() - started) / 1000;
  if (rows !== expected) throw new Error(`${path}: ${rows} rows, ${expected} expected`);
  return seconds;
}
let expected = ROWS;
const TURNS = 5;
const middle = (numbers: readonly number[]): number => [...numbers].sort((a, b) => a - b)[numbers.length >> 1]!;
async function compare(
  name: string,
  path: string,
  other: string,
  theirs: () => Promise<void>,
  wanted: number,
  fixed?: FileFormat,
): Promise<void> {
  const megabytes = statSync(path).size / 1e6;
  // By turns, so that what else the machine does comes to both.
  const pairs: { readonly mine: number; readonly floor: number }[] = [];
  for (let i = 0; i < TURNS; i++) {
    const mine = await ours(path, fixed);
    const started = performance.now();
    await theirs();
    pairs.push({ mine, floor: (performance.now() - started) / 1000 });
  }
  const mine = middle(pairs.map((p) => p.mine));
  const floor = middle(pairs.map((p) => p.floor));
  const ratio = middle(pairs.map((p) => p.floor / p.mine));
  console.log(
    `${name.padEnd(12)} ${(megabytes / mine).toFixed(1).padStart(6)} MB/s ${Math.round(expected / mine)
      .toLocaleString('en-GB')
      .padStart(
        9,
      )} rows/s; ${other} ${floor.toFixed(2)} s ÷ ours ${mine.toFixed(2)} s = ${ratio.toFixed(2)} (at least ${wanted})`,
  );
}

const readers: Record<string, () => Promise<void>> = {};
readers['delimited'] = async () => {
  const csv = await write(
    'a.csv',
    ROWS,
    `${NAMES.join(',')}\n`,
    (r) => `${NAMES.map((_, c) => cell(r, c)).join(',')}\n`,
  );
  await compare(
    'delimited',
    csv,
    'csv-parse',
    async () => {
      let n = 0;
      for await (const _ of createReadStream(csv).pipe(parse({ columns: true }))) n++;
      if (n !== ROWS) throw new Error(String(n));
    },
    8,
  );
};
readers['fixed'] = async () => {
  const fixed = await write('a.txt', ROWS, '', (r) => `${NAMES.map((_, c) => cell(r, c).padEnd(12)).join('')}\n`);
  const columns = NAMES.map((name, i) => ({ name, from: i * 12 + 1, width: 12 }));
  await compare(
    'fixed width',
    fixed,
    'lines and slices',
    async () => {
      let n = 0;
      let rest = '';
      for await (const piece of createReadStream(fixed, { encoding: 'utf8', highWaterMark: 262_144 })) {
        const lines = (rest + (piece as string)).split('\n');
        rest = lines.pop()!;
        for (const line of lines) {
          const record: Record<string, string> = {};
          for (const c of columns) record[c.name] = line.slice(c.from - 1, c.from - 1 + c.width).trim();
          n += record['field_1'] ? 1 : 0;
        }
      }
      if (n !== ROWS) throw new Error(String(n));
    },
    0.8,
    { kind: 'fixed', encoding: 'utf-8', skipLines: 0, columns, emptyIsNull: true },
  );
};
const object = (r: number): string => `{${NAMES.map((n, c) => `"${n}":"${cell(r, c)}"`).join(',')}}`;
readers['jsonl'] = async () => {
  const jsonl = await write('a.jsonl', ROWS, '', (r) => `${object(r)}\n`);
  await compare(
    'JSON Lines',
    jsonl,
    'lines and JSON.parse',
    async () => {
      let n = 0;
      let rest = '';
      for await (const piece of createReadStream(jsonl, { encoding: 'utf8', highWaterMark: 262_144 })) {
        const lines = (rest + (piece as string)).split('\n');
        rest = lines.pop()!;
        for (const line of lines) n += (JSON.parse(line) as Record<string, string>)['field_1'] ? 1 : 0;
      }
      if (n !== ROWS) throw new Error(String(n));
    },
    0.8,
  );
};
readers['json'] = async () => {
  const json = await write('a.json', ROWS, '[\n', (r) => `${r ? ',' : ''}${object(r)}\n`, ']\n');
  await compare(
    'JSON',
    json,
    'JSON.parse of the whole',
    async () => {
      const pieces: Buffer[] = [];
      for await (const piece of createReadStream(json)) pieces.push(piece as Buffer);
      if ((JSON.parse(Buffer.concat(pieces).toString()) as unknown[]).length !== ROWS) throw new Error('rows');
    },
    0.8,
  );
};
readers['xml'] = async () => {
  const xml = await write(
    'a.xml',
    ROWS / 4,
    '<list>\n',
    (r) => `<item no="${r}">${NAMES.map((n, c) => `<${n}>${cell(r, c)}</${n}>`).join('')}</item>\n`,
    '</list>\n',
  );
  expected = ROWS / 4;
  await compare(
    'XML',
    xml,
    'a bare saxes pass',
    async () => {
      const parser = new SaxesParser();
      let n = 0;
      parser.on('opentag', (tag) => (n += tag.name === 'item' ? 1 : 0));
      parser.on('text', () => undefined);
      for await (const piece of createReadStream(xml, { encoding: 'utf8', highWaterMark: 262_144 }))
        parser.write(piece as string);
      parser.close();
      if (n !== expected) throw new Error(String(n));
    },
    0.7,
  );
};
readers['xlsx'] = async () => {
  const xlsx = join(home, 'a.xlsx');
  const book = new ExcelJS.stream.xlsx.WorkbookWriter({ filename: xlsx, useSharedStrings: true });
  const sheet = book.addWorksheet('S');
  sheet.addRow(NAMES).commit();
  expected = ROWS / 4;
  for (let r = 0; r < expected; r++) sheet.addRow(NAMES.map((_, c) => cell(r, c))).commit();
  await book.commit();
  await compare(
    'XLSX',
    xlsx,
    'exceljs, streaming',
    async () => {
      let n = 0;
      const reader = new ExcelJS.stream.xlsx.WorkbookReader(xlsx, { sharedStrings: 'cache', worksheets: 'emit' });
      for await (const page of reader) for await (const row of page) n += row.values ? 1 : 0;
      if (n !== expected + 1) throw new Error(String(n));
    },
    2,
  );
};
readers['profile'] = async () => {
  // The profile against the time of just reading: 1,000,000 rows of 12 fields.
  const large = await write(
    'large.csv',
    1_000_000,
    `${NAMES.join(',')}\n`,
    (r) =>
      `${r},${NAMES.slice(1)
        .map((_, c) => cell(r, c))
        .join(',')}\n`,
  );
  expected = 1_000_000;
  const { format, fields } = await lookAt(large);
  const reading = await ours(large, format);
  const started = performance.now();
  const file = { path: large, name: 'large.csv', bytes: statSync(large).size, changed: 0 };
  const plan = {
    kind: 'files' as const,
    files: [file],
    format,
    fields: fields.map((name) => ({ name, type: 'text' as const })),
  };
  const profile = await profileRecords({ plan, rowLimit: null });
  const profiling = (performance.now() - started) / 1000;
  console.log(
    `profile of 1,000,000 × 12: ${profiling.toFixed(1)} s ÷ reading ${reading.toFixed(1)} s = ${(profiling / reading).toFixed(2)} (at most 3); key found: ${profile.keys.map((k) => k.join('+')).join(', ')}`,
  );
};

/** A sheet of so many megabytes of XML before it is packed: as many rows as a sheet may have, wider from there on. */
async function writeWorkbook(path: string, megabytes: number): Promise<void> {
  const cells = (megabytes * 1e6) / '<c r="AA100000" t="inlineStr"><is><t>value 1234</t></is></c>'.length;
  const columns = Math.max(12, Math.ceil(cells / 1_000_000));
  const book = new ExcelJS.stream.xlsx.WorkbookWriter({ filename: path, useSharedStrings: false });
  const sheet = book.addWorksheet('Large');
  for (let row = 0; row < cells / columns; row++) {
    sheet.addRow(Array.from({ length: columns }, (_, c) => cell(row, c))).commit();
    // The writer takes rows faster than they are packed.
    if (row % 1000 === 0) await new Promise((turn) => setImmediate(turn));
  }
  sheet.commit();
  await book.commit();
}

/** Memory at 10 MB and at 1 GB of each format: each size in a process of its own, told by BENCH_MEGABYTES. */
readers['memory'] = async () => {
  const made: Record<string, [head: string, line: (row: number) => string, foot: string]> = {
    csv: [`${NAMES.join(',')}\n`, (r) => `${NAMES.map((_, c) => cell(r, c)).join(',')}\n`, ''],
    txt: ['', (r) => `${NAMES.map((_, c) => cell(r, c).padEnd(12)).join('')}\n`, ''],
    jsonl: ['', (r) => `${object(r)}\n`, ''],
    json: ['[\n', (r) => `${r ? ',' : ''}${object(r)}\n`, ']\n'],
    xml: [
      '<list>\n',
      (r) => `<item no="${r}">${NAMES.map((n, c) => `<${n}>${cell(r, c)}</${n}>`).join('')}</item>\n`,
      '</list>\n',
    ],
  };
  const kind = process.env['BENCH_KIND'];
  if (kind === undefined) {
    for (const one of [...Object.keys(made), 'xlsx'])
      for (const size of ['10', process.env['BENCH_LARGE'] ?? '1000'])
        spawnSync(process.execPath, [process.argv[1]!], {
          stdio: 'inherit',
          env: { ...process.env, BENCH_ONLY: 'memory', BENCH_KIND: one, BENCH_MEGABYTES: size },
        });
    return;
  }
  const megabytes = Number(process.env['BENCH_MEGABYTES']);
  if (kind === 'xlsx to write') return writeWorkbook(process.env['BENCH_PATH']!, megabytes);
  let path: string;
  if (kind === 'xlsx') {
    path = join(home, 'm.xlsx');
    // Another process writes it, so that what writing holds is not counted.
    const env = { ...process.env, BENCH_KIND: 'xlsx to write', BENCH_PATH: path };
    if (spawnSync(process.execPath, [process.argv[1]!], { stdio: 'inherit', env }).status !== 0)
      throw new Error('The workbook was not written.');
  } else {
    const [head, line, foot] = made[kind]!;
    path = await write(`m.${kind}`, Math.round((megabytes * 1e6) / line(1000).length), head, line, foot);
  }
  const { format } = await lookAt(path);
  let read = 0;
  let highest = 0;
  for await (const batch of recordsOf(path, `m.${kind}`, format)) {
    read += batch.rows.length;
    highest = Math.max(highest, process.memoryUsage().rss);
  }
  console.log(
    `${kind.padEnd(6)} ${String(megabytes).padStart(5)} MB, ${read.toLocaleString('en-GB')} records: at most ${Math.round(highest / 1e6)} MB`,
  );
};

// Each in a process of its own, as each runs in a thread of its own: what one does to the machine code of another does not count.
const only = process.env['BENCH_ONLY'];
if (only === undefined)
  for (const name of Object.keys(readers))
    spawnSync(process.execPath, [process.argv[1]!], { stdio: 'inherit', env: { ...process.env, BENCH_ONLY: name } });
else {
  await readers[only]!();
  if (only !== 'memory')
    console.log(`             largest memory of the process: ${Math.round(process.resourceUsage().maxRSS / 1024)} MB`);
}
rmSync(home, { recursive: true });
