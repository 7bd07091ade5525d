import { copyFileSync, existsSync, readdirSync, readFileSync, rmSync, writeFileSync, mkdirSync } from 'node:fs';
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
 * Programs and threads of ours, each with the npm packages that it uses, in one folder, so that each finds the threads' files
 * from where it is: `NAME.js` runs `NAME.cjs`, and keeps what it is compiled to. `entries`: source files by name.
 */
export async function bundleCompiled(entries, outdir) {
  const folder = join(root, outdir);
  rmSync(folder, { recursive: true, force: true });
  const { build } = await import('esbuild');
  const names = Object.keys(entries);
  await build({
    ...settings,
    entryPoints: Object.fromEntries(names.map((name) => [name, join(root, entries[name])])),
    outdir: folder,
    format: 'cjs',
    // What is asked for later is required then: a script that was compiled before has no way to import it.
    supported: { 'dynamic-import': false },
    outExtension: { '.js': '.cjs' },
    define: { 'import.meta.url': '__programUrl' },
    banner: {},
  });
  copyFileSync(join(root, 'scripts/compiled.mjs'), join(folder, 'compiled.js'));
  for (const name of names) {
    const hash = createHash('sha256').update(readFileSync(join(folder, `${name}.cjs`)));
    const from = `new URL('./${name}.cjs', import.meta.url)`;
    writeFileSync(
      join(folder, `${name}.js`),
      `import { runCompiled } from './compiled.js';\nrunCompiled(${from}, '${hash.digest('hex').slice(0, 16)}');\n`,
    );
  }
}

/**
 * One ES module of a program of ours, with the npm packages that it uses: a program or a thread that reads hundreds of small
 * files starts twice as slowly. Outside stay PGlite, whose files lie beside it, and what is hardly ever needed.
 */
export async function bundle({ entry, outfile, define = {} }) {
  const { build } = await import('esbuild');
  await build({
    ...settings,
    entryPoints: [join(root, entry)],
    outfile: join(root, outfile),
    define,
  });
}
const settings = {
  bundle: true,
  platform: 'node',
  target: 'node20',
  format: 'esm',
  sourcemap: true,
  // Read half as fast otherwise; names stay as they are.
  minifyWhitespace: true,
  logLevel: 'error',
  loader: { '.sql': 'text' },
  external: ['@electric-sql/pglite', 'exceljs', 'pg-native'],
  banner: { js: "import { createRequire } from 'node:module'; const require = createRequire(import.meta.url);" },
};

/** The same of helpers of tests, which find the repository from the folder (as deep as their own) that stands for theirs. */
export const bundleTesting = (entry, outfile, folder) =>
  bundle({ entry, outfile, define: { __dirname: JSON.stringify(join(root, folder)) } });
