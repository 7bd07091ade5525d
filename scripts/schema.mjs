import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { ensureInstalled, fail, root } from './setup.mjs';

/** Writes the JSON Schemas of mapping documents and plans from their Zod schemas; with --check, only says whether they are current. */
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
const { documentJsonSchema, planJsonSchema } = await import(out);
for (const [name, schema] of [
  ['docs/mapping-document.schema.json', documentJsonSchema()],
  ['docs/plan.schema.json', planJsonSchema()],
]) {
  const text = `${JSON.stringify(schema, null, 2)}\n`;
  const path = join(root, name);
  if (!process.argv.includes('--check')) writeFileSync(path, text);
  else if (!existsSync(path) || readFileSync(path, 'utf8') !== text)
    fail(`${name} is out of date; run npm run schema.`);
}
