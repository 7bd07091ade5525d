import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { PGlite } from '@electric-sql/pglite';
import { apply } from '../packages/cli/src/apply.ts';

/** One measured piece in a process of its own: prints seconds and the largest memory in MB. */
const [what, left = '', right = '', mapping = '', out = ''] = process.argv.slice(2) as [string, ...string[]];
const started = performance.now();
if (what === 'apply')
  await apply(['--mapping', mapping, '--source', `m=${left}`, '--source', `t=${right}`, '--out', out], () => undefined);
else {
  const home = mkdtempSync(join(tmpdir(), 'versicle-bench-'));
  const db = await PGlite.create(join(home, 'data'));
  if (what === 'floor') {
    await db.exec(
      'CREATE UNLOGGED TABLE l (no text, name text, tariff text); CREATE UNLOGGED TABLE r (code text, label text, price text)',
    );
    for (const [table, path] of [
      ['l', left],
      ['r', right],
    ] as const)
      await db.query(`COPY ${table} FROM '/dev/blob' (FORMAT csv, HEADER)`, [], {
        blob: new Blob([readFileSync(path)]),
      });
    await db.exec('ANALYZE');
    const { blob } = await db.query(
      "COPY (SELECT l.no, upper(r.label), r.price FROM l LEFT JOIN r ON r.code = l.tariff) TO '/dev/blob' (FORMAT csv)",
    );
    writeFileSync(join(home, 'out.csv'), Buffer.from(await blob!.arrayBuffer()));
  }
  await db.close();
  rmSync(home, { recursive: true, force: true });
}
process.stdout.write(
  JSON.stringify({ seconds: (performance.now() - started) / 1000, megabytes: process.resourceUsage().maxRSS / 1024 }),
);
