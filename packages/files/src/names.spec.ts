import * as fc from 'fast-check';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { parseFieldType, Unreadable } from '@versicle/core';
import { lookAt, openRecordFile, recordsOf } from './index.ts';

/**
 * Names that mean something to JavaScript are names like all others: every reader and writer keeps the value that stands
 * under them, and none of them reaches what other objects have in common.
 */
const NAMES = [
  '__proto__',
  'constructor',
  'prototype',
  'toString',
  'valueOf',
  'hasOwnProperty',
  '__defineGetter__',
  'length',
  'then',
  'toJSON',
  'null',
  'undefined',
];
const names = fc.uniqueArray(fc.constantFrom(...NAMES), { minLength: 2, maxLength: 6 });
const values = fc.array(fc.stringMatching(/^[a-z]{1,6}$/), { minLength: 6, maxLength: 6 });

const folder = mkdtempSync(join(tmpdir(), 'versicle-names-'));
afterAll(() => rmSync(folder, { recursive: true }));
const untouched = (): void => {
  expect(Object.keys(Object.prototype)).toEqual([]);
  expect(({} as Record<string, unknown>)['polluted']).toBeUndefined();
  expect(typeof {}.toString).toBe('function');
};

async function read(path: string): Promise<Record<string, string | null>[]> {
  const { format, fields } = await lookAt(path);
  const found: Record<string, string | null>[] = [];
  for await (const batch of recordsOf(path, path.split('/').at(-1)!, format, undefined, fields))
    for (const row of batch.rows) {
      if (row instanceof Unreadable) throw new Error(row.message);
      const record = Object.create(null) as Record<string, string | null>;
      fields.forEach((f, i) => (record[f] = row[i] ?? null));
      found.push(record);
    }
  return found;
}
const put = (name: string, text: string): string => {
  writeFileSync(join(folder, name), text);
  return join(folder, name);
};

describe('names that mean something to JavaScript', () => {
  it.each(['csv', 'jsonl', 'json', 'xlsx', 'txt'])(
    'are written to .%s and read back, each with its value',
    async (ending) => {
      await fc.assert(
        fc.asyncProperty(names, values, async (fields, cells) => {
          const path = join(folder, `written.${ending}`);
          // Of a fixed width, where the file asks for one.
          const out = fields.map((name) => ({ name, type: parseFieldType('varchar(20)') }));
          const file = await openRecordFile(path, out);
          for (let i = 0; i < 3; i++) file.write(fields.map((_, k) => cells[k]!));
          await file.close();
          const found = await read(path);
          untouched();
          if (ending === 'txt') {
            // Fixed-width text has no names.
            expect(found.map((r) => Object.values(r).map((v) => v?.trim()))).toContainEqual(
              fields.map((_, k) => cells[k]),
            );
            return;
          }
          expect(found).toHaveLength(3);
          for (const record of found) fields.forEach((f, k) => expect([f, record[f]]).toEqual([f, cells[k]]));
        }),
        { numRuns: ending === 'xlsx' ? 15 : 40 },
      );
    },
  );

  it('are read at any depth of JSON and XML, also where they repeat', async () => {
    await fc.assert(
      fc.asyncProperty(names, values, async (fields, cells) => {
        const members = fields.map((f, k) => `${JSON.stringify(f)}:{"polluted":"${cells[k]!}"}`).join(',');
        const json = `[{"no":"1",${members}},{"no":"2",${members}}]`;
        for (const path of [
          put('deep.json', json),
          put('deep.jsonl', `{"no":"1",${members}}\n{"no":"2",${members}}\n`),
        ]) {
          const found = await read(path);
          expect(found).toHaveLength(2);
          if (path.endsWith('.json'))
            for (const record of found)
              fields.forEach((f, k) => expect([f, record[`${f}.polluted`]]).toEqual([f, cells[k]]));
          untouched();
        }
        const elements = fields

          .map((f, k) => `<${f} __proto__="${cells[k]!}"><polluted>${cells[k]!}</polluted></${f}>`)
          .join('');
        const xml = `<all>${`<one><no>1</no>${elements}</one>`.repeat(2)}</all>`;
        const found = await read(put('deep.xml', xml));
        expect(found).toHaveLength(2);
        fields.forEach((f, k) => {
          expect([f, found[0]![`${f}.polluted`]]).toEqual([f, cells[k]]);
          expect([f, found[0]![`${f}.@__proto__`]]).toEqual([f, cells[k]]);
        });
        untouched();
      }),
      { numRuns: 40 },
    );
  });
});
