import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { ensureInstalled, fail, root } from './setup.mjs';

/** Writes docs/mapping-document.schema.json from the Zod schema; with --check, only says whether it is current. */
ensureInstalled();
const { build } = await import('esbuild');
const out = join(root, '.cache/core.mjs');
await build({
  entryPoints: [join(root, 'packages/core/src/index.ts')],
  outfile: out,
  bundle: true,
  platform: 'node',
  format: 'esm',
  logLevel: 'error',
});
const { documentJsonSchema } = await import(out);
const text = `${JSON.stringify(documentJsonSchema(), null, 2)}\n`;
const path = join(root, 'docs/mapping-document.schema.json');
if (!process.argv.includes('--check')) writeFileSync(path, text);
else if (!existsSync(path) || readFileSync(path, 'utf8') !== text)
  fail('docs/mapping-document.schema.json is out of date; run npm run schema.');
