import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { dirname, join, relative, resolve } from 'node:path';
import ts from 'typescript';
import { root } from './setup.mjs';

/** Files that import one another in a circle, also where it is for types only; there should be none. */
const packages = join(root, 'packages');
const files = readdirSync(packages, { recursive: true })
  .filter((name) => /(^|\/)src\/.*\.ts$/.test(name) && !/node_modules|\.spec\.ts$/.test(name))
  .map((name) => join(packages, name));
const known = new Set(files);

/** The web's imports have no ending. */
function fileOf(from, name) {
  const path = resolve(dirname(from), name);
  return [path, `${path}.ts`, join(path, 'index.ts')].find(
    (candidate) => known.has(candidate) && existsSync(candidate),
  );
}
const imports = new Map(
  files.map((file) => {
    const { importedFiles } = ts.preProcessFile(readFileSync(file, 'utf8'), true, true);
    const own = importedFiles.map((i) => i.fileName).filter((name) => name.startsWith('.'));
    return [file, own.flatMap((name) => fileOf(file, name) ?? [])];
  }),
);

/** The circle that a walk from `file` comes back into; null where there is none. */
const done = new Set();
function circleFrom(file, way) {
  const at = way.indexOf(file);
  if (at >= 0) return [...way.slice(at), file];
  if (done.has(file)) return null;
  for (const next of imports.get(file)) {
    const found = circleFrom(next, [...way, file]);
    if (found !== null) return found;
  }
  done.add(file);
  return null;
}
for (const file of files) {
  const circle = circleFrom(file, []);
  if (circle === null) continue;
  process.stderr.write(
    `These import one another in a circle:\n  ${circle.map((f) => relative(root, f)).join('\n  ')}\n`,
  );
  process.exit(1);
}
