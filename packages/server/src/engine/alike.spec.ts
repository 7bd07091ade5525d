import { execFile } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { CASES, COLUMNS, documentOf, forAnyCase, itemsOf, SEED, written } from '../testing/any-document.ts';
import { RunningServer } from '../testing/running-server.ts';

const command = join(__dirname, '../../../../scripts/versicle.mjs');

/** Two threads share in mapping, however small the files are. */
const env = { ...process.env, VERSICLE_MAPPING_THREADS: '2', VERSICLE_SHARED_BYTES: '1' };
const versicle = (...args: string[]): Promise<{ stdout: string; stderr: string }> =>
  promisify(execFile)(process.execPath, [command, ...args], { env });

/** A run, a trial and the command line make the same of the same records: values, row numbers, file names and failures. */
describe(`any document, run, tried and applied (VERSICLE_SEED=${SEED})`, () => {
  const home = mkdtempSync(join(tmpdir(), 'versicle-alike-'));
  let server: RunningServer;
  let made = 0;
  beforeAll(async () => {
    server = await RunningServer.start({ VERSICLE_CHUNK_ROWS: '40', VERSICLE_MAPPING_THREADS: '2' });
    await server.connect();
    // Builds the command line, where that is still to be done.
    await versicle('--help');
  });
  afterAll(async () => {
    await server.close();
    rmSync(home, { recursive: true });
  });

  interface Failed {
    readonly row: number;
    readonly line: string | null;
    readonly message: string;
  }
  const short = (all: readonly Failed[]): string[] => all.map((f) => `${f.row}|${f.line}|${f.message}`).sort();
  /** The first failure of each record; a list of failed records says no more at a glance. */
  const firsts = (text: string): Failed[] => {
    const all = text
      .split('\n')
      .filter((l) => l !== '')
      .map((l) => JSON.parse(l) as Failed);
    return all.filter((f, i) => all.findIndex((g) => g.row === f.row) === i);
  };

  it.each([['one dataset'], ['several, brought together by PostgreSQL']])(
    'over %s',
    async (over) => {
      await forAnyCase(async (chosen) => {
        const n = ++made;
        // Files take new parts or are written whole; where records stand in them is compared, too.
        const c = { ...chosen, mode: 'replace' as const };
        const items = itemsOf(c);
        server.file(`items-${n}.csv`, written(items, COLUMNS));
        const some = items.filter((_, i) => i % 3 !== 0);
        server.file(`more-${n}.csv`, ['no;city', ...some.map((i) => `${i.no};C${i.no}`)].join('\n'));
        const primary = { alias: 'i', dataset: `files/items-${n}.csv` };
        const joined = { alias: 'm', dataset: `files/more-${n}.csv`, kind: 'left', on: 'm.no = i.no' };
        const source = over === 'one dataset' ? { primary } : { primary, joins: [joined] };
        const document = documentOf(c, source, `files/out-${n}.csv`);
        if (over !== 'one dataset') {
          (document['lines'] as object[]).push({ id: 'city', target: 'city', kind: 'straight', source: 'm.city' });
          (document['target'] as { fields: object[] }).fields.push({ name: 'city', type: 'text' });
        }

        const { mapping, plan } = await server.mapping(document);
        const run = await server.run(plan);
        expect(run).toMatchObject({ state: 'finished', error: null });
        const ran = readFileSync(join(server.folder, `out-${n}.csv`), 'utf8');
        const failedInRun = await server.api('listFailures', 'GET', `/failures?run=${run.id}&state=any&limit=500`);

        await server.api('startTrial', 'POST', `/mappings/${mapping}/trial`, { rowLimit: null });
        let trial = await server.api('getTrial', 'GET', `/mappings/${mapping}/trial`);
        while (trial.state === 'running') {
          await new Promise((r) => setTimeout(r, 20));
          trial = await server.api('getTrial', 'GET', `/mappings/${mapping}/trial`);
        }
        const { remarks } = run.counts;
        expect(trial.report?.counts.remarks).toBe(remarks);
        const text = async (path: string): Promise<string> => (await fetch(`${server.address}${path}`)).text();
        expect(await text(`/api/mappings/${mapping}/trial/mapped.csv`)).toBe(ran);
        expect(short(firsts(await text(`/api/mappings/${mapping}/trial/failed.jsonl`)))).toEqual(short(failedInRun));

        const [file, out, failed] = [`m-${n}.versicle.json`, `out-${n}.csv`, `failed-${n}.jsonl`].map((f) =>
          join(home, f),
        );
        writeFileSync(file!, JSON.stringify(document));
        const sources = [`i=${join(server.folder, `items-${n}.csv`)}`, `m=${join(server.folder, `more-${n}.csv`)}`];
        const given = sources.slice(0, over === 'one dataset' ? 1 : 2).flatMap((s) => ['--source', s]);
        const applied = await versicle('apply', '--mapping', file!, ...given, '--out', out!, '--failed', failed!);
        expect(applied.stderr).toBe('');
        expect(readFileSync(out!, 'utf8')).toBe(ran);
        expect(short(existsSync(failed!) ? firsts(readFileSync(failed!, 'utf8')) : [])).toEqual(short(failedInRun));
        // Where PostgreSQL brings the records together, it has filtered them before they count.
        expect(/(\d[\d,]*) remarks?$/m.exec(applied.stdout)?.[1] ?? '0').toBe(remarks.toLocaleString('en-GB'));
        const { skipped, failed: bad, delivered } = run.counts;
        expect(applied.stdout).toContain(`${skipped} skipped + ${bad} failed + ${delivered} written`);
      });
    },
    CASES * 240_000,
  );
});
