import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import * as fc from 'fast-check';
import pg from 'pg';
import { from as copyFrom } from 'pg-copy-streams';
import { readerFor, Unreadable, type StreamFormat } from '@versicle/core';
import { postgresPrograms, PostgresServer } from './testing/postgres-server.ts';

/** What PostgreSQL makes of the same text: COPY of CSV, `xmltable` of XML. Other cases each time; the seed is in the failure. */
const seed = Number(process.env['VERSICLE_SEED'] ?? Date.now() % 1_000_000);

const bytes = (text: string): Uint8Array => new TextEncoder().encode(text);
/** Cells of each record, in pieces of `size` bytes; unreadable ones as their sentence. */
function read(text: string, format: StreamFormat, size: number): unknown[] {
  const reader = readerFor(format);
  const all = bytes(text);
  const rows = [];
  for (let at = 0; at < all.length; at += size) rows.push(...reader.push(all.subarray(at, at + size)).rows);
  rows.push(...reader.end().rows);
  return rows.map((row) => (row instanceof Unreadable ? row.message : row));
}

(postgresPrograms() === null ? describe.skip : describe)('the readers, and PostgreSQL', () => {
  let server: PostgresServer;
  let client: pg.Client;
  beforeAll(async () => {
    server = await PostgresServer.start();
    client = new pg.Client({
      host: '127.0.0.1',
      port: server.port,
      user: 'ledger',
      password: PostgresServer.password,
      database: 'postgres',
    });
    await client.connect();
    await client.query('CREATE TABLE cells (place serial, a text, b text, c text)');
  });
  afterAll(async () => {
    await client.end();
    await server.stop();
  });

  const cell = fc.oneof(
    fc.string({ unit: 'grapheme', maxLength: 6 }).filter((text) => !text.includes('\0')),
    fc.constantFrom('', ' ', 'a"b', '"', '""', 'x,y', 'zwei\nZeilen', '\r\n', '\\N', '\\.', "'", '00417', 'Löwe'),
  );
  it('have the same cells of CSV, empty ones apart from null', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.tuple(fc.option(cell), fc.option(cell), fc.option(cell)), { minLength: 1, maxLength: 30 }),
        fc.constantFrom(',', ';', '\t', '|'),
        fc.integer({ min: 1, max: 50 }),
        async (table, delimiter, size) => {
          const quoted = (text: string | null): string => (text === null ? '' : `"${text.replaceAll('"', '""')}"`);
          const text = `a${delimiter}b${delimiter}c\n${table.map((row) => `${row.map(quoted).join(delimiter)}\n`).join('')}`;
          await client.query('TRUNCATE cells');
          const copy = `COPY cells (a, b, c) FROM STDIN (FORMAT csv, HEADER, DELIMITER '${delimiter}')`;
          await pipeline(Readable.from([Buffer.from(text)]), client.query(copyFrom(copy)));
          const { rows } = await client.query<(string | null)[]>({
            text: 'SELECT a, b, c FROM cells ORDER BY place',
            rowMode: 'array',
          });
          const format: StreamFormat = {
            kind: 'delimited',
            encoding: 'utf-8',
            delimiter,
            quote: '"',
            newline: '\n',
            skipLines: 0,
            header: true,
            emptyIsNull: false,
          };
          // To us an empty cell is empty or null as the dataset says; COPY tells them apart by their quotes.
          const ours = read(text, format, size);
          expect(ours).toEqual(rows.map((row) => row.map((value) => value ?? '')));
        },
      ),
      { seed, numRuns: 60 },
    );
  });

  // What XML 1.0 allows, without what an attribute's value is normalised to.
  const allowed = /^[\t\n\u0020-\ud7ff\ue000-\ufffd\u{10000}-\u{10ffff}]*$/u;
  const text = fc.oneof(
    fc.string({ unit: 'grapheme', maxLength: 8 }).filter((t) => allowed.test(t)),
    fc.constantFrom('', ' ', '  two  ', 'a\nb', '<&>', ']]', '"\'', 'Löwe', '1.10'),
  );
  const escaped = (value: string): string =>
    value.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;').replaceAll('"', '&quot;');
  const attribute = (value: string): string => escaped(value).replaceAll('\n', '&#10;').replaceAll('\t', '&#9;');
  it('have the same texts of XML', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.record({ at: text, plain: text, nested: text, cdata: text }), { minLength: 1, maxLength: 20 }),
        fc.integer({ min: 1, max: 50 }),
        async (records, size) => {
          const one = (r: (typeof records)[number]): string =>
            `<bike at="${attribute(r.at)}"><plain>${escaped(r.plain)}</plain><!-- beside --><stand><row>${escaped(r.nested)}</row></stand><cdata><![CDATA[${r.cdata.replaceAll(']]>', '')}]]></cdata></bike>`;
          const xml = `<?xml version="1.0"?>\n<bikes>\n${records.map(one).join('\n')}</bikes>`;
          const { rows } = await client.query<string[]>({
            text: `SELECT at, plain, nested, cdata FROM xmltable('/bikes/bike' PASSING ($1::xml)
                     COLUMNS at text PATH '@at', plain text PATH 'plain', nested text PATH 'stand/row', cdata text PATH 'cdata')`,
            values: [xml],
            rowMode: 'array',
          });
          const format: StreamFormat = {
            kind: 'xml',
            encoding: 'utf-8',
            records: 'bikes/bike',
            structures: [{ path: '', fields: ['@at', 'plain', 'stand.row', 'cdata'] }],
            part: '',
            withDoc: false,
          };
          const wanted = rows.map((row, i) => [
            String(i + 1),
            // White space alone is nothing to us, except in an attribute.
            ...row.map((value, column) => (column > 0 && value.trim() === '' ? null : value)),
          ]);
          expect(read(xml, format, size)).toEqual(wanted);
        },
      ),
      { seed, numRuns: 60 },
    );
  });
});
