import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import {
  mergeUnknown,
  parseDocument,
  timestampOfMillis,
  type JsonLinesFormat,
  type UnknownValues,
} from '@versicle/core';
import { datasetChunks } from '@versicle/files';
import { ApplyShare } from './apply-share.ts';
import { main } from './main.ts';

const home = mkdtempSync(join(tmpdir(), 'versicle-unknown-'));
afterAll(() => rmSync(home, { recursive: true }));
const write = (name: string, content: string): string => {
  writeFileSync(join(home, name), content);
  return join(home, name);
};
const document = {
  versicle: 1,
  name: 'Repairs',
  source: { primary: { alias: 'r', dataset: 'tidebridge/repairs.jsonl' } },
  target: { dataset: 'workshop/repair', key: ['no'], fields: [{ name: 'no', type: 'text' }] },
  lines: [{ id: 'l1', target: 'no', kind: 'straight', source: 'r.no' }],
  write: { mode: 'insert' },
};
const record = (no: number, more = ''): string => `{"no":${no},"note":"${'x'.repeat(90)}"${more}}\n`;

describe('what the records of a file have and its beginning did not show', () => {
  it('is told by apply, with how many have it and where the first one is', async () => {
    const records = Array.from({ length: 12_000 }, (_, i) => record(i + 1, i >= 11_998 ? ',"colour":"red"' : ''));
    const mapping = write('repairs.json', JSON.stringify(document));
    const said: string[] = [];
    const argv = ['apply', '--mapping', mapping, '--source', `r=${write('repairs.jsonl', records.join(''))}`, '--out'];
    const say = (text: string): unknown => said.push(text);
    const code = await main([...argv, join(home, 'out.csv')], say, say);
    expect(said.join('\n')).toContain('12000 read = 0 filtered + 0 skipped + 0 failed + 12000 written');
    expect(code).toBe(0);
    expect(said[1]).toBe(
      '2 records of repairs.jsonl have “colour”, the first in row 11,999; the structure of the dataset does not know it, so it was not read',
    );
  });
  it('is told where several threads share in mapping, too', async () => {
    const path = write('shared.jsonl', record(1) + record(2, ',"colour":"red"') + record(3) + record(4, ',"size":1'));
    const format: JsonLinesFormat = { kind: 'jsonl', encoding: 'utf-8' };
    const job = {
      document: parseDocument(document),
      names: ['no', 'note'],
      marks: null,
      facts: { startedAt: timestampOfMillis(0) },
      format,
      output: 'csv' as const,
      failed: false,
      remarks: false,
    };
    const share = new ApplyShare(job);
    const source = { files: [{ path, name: 'shared.jsonl' }], format, fields: job.names };
    const wish = { cut: { rows: 2, characters: 1e6 }, rowLimit: null, settled: 0 };
    const told: UnknownValues[] = [];
    let chunk = 0;
    for await (const blocks of datasetChunks(source, wish, () => undefined)) {
      await share.map(chunk, blocks);
      told.push((await share.finish(chunk++, [])).unknown);
    }
    expect(chunk).toBe(2);
    expect(Object.fromEntries(mergeUnknown(told))).toEqual({
      colour: { count: 1, row: 2 },
      size: { count: 1, row: 4 },
    });
  });
});
