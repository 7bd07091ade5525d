import { existsSync, readdirSync, readFileSync, writeFileSync, mkdirSync } from 'node:fs';
import { createHash } from 'node:crypto';
import { dirname, join } from 'node:path';
import { root } from './setup.mjs';

/** Every source file below the folders, tests left out. */
export function sourcesOf(...folders) {
  return folders.flatMap((folder) => {
    const path = join(root, folder);
    if (!existsSync(path)) return [];
    return readdirSync(path, { recursive: true, withFileTypes: true })
      .filter(
        (e) =>
          e.isFile() && !/\.spec\.ts$/.test(e.name) && !/(node_modules|dist|\.angular)/.test(e.parentPath ?? e.path),
      )
      .map((e) => join(e.parentPath ?? e.path, e.name));
  });
}

/** Runs `build` when the sources' contents differ from those of the last build. */
export async function whenChanged(name, sources, output, build) {
  const hash = createHash('sha256');
  // Packages are part of what is built.
  for (const file of [...sources, join(root, 'package-lock.json')].sort())
    hash.update(file.slice(root.length)).update(readFileSync(file));
  const wanted = hash.digest('hex');
  const mark = join(root, '.cache', `${name}.built`);
  if (existsSync(output) && existsSync(mark) && readFileSync(mark, 'utf8') === wanted) return false;
  await build();
  mkdirSync(dirname(mark), { recursive: true });
  writeFileSync(mark, wanted);
  return true;
}

/**
 * One ES module of a program of ours, with the npm packages that it uses: a program or a thread that reads hundreds of small
 * files starts twice as slowly. Outside stay PGlite, whose files lie beside it, and what is hardly ever needed.
 */
export async function bundle({ entry, outfile }) {
  const { build } = await import('esbuild');
  await build({
    entryPoints: [join(root, entry)],
    outfile: join(root, outfile),
    bundle: true,
    platform: 'node',
    target: 'node20',
    format: 'esm',
    sourcemap: true,
    logLevel: 'error',
    loader: { '.sql': 'text' },
    external: ['@electric-sql/pglite', 'exceljs', 'pg-native'],
    banner: { js: "import { createRequire } from 'node:module'; const require = createRequire(import.meta.url);" },
  });
}
