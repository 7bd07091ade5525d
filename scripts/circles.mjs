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

/** Whether a graph has a circle; says which. */
function requireNoCircle(graph, what) {
  const done = new Set();
  const circleFrom = (node, way) => {
    const at = way.indexOf(node);
    if (at >= 0) return [...way.slice(at), node];
    if (done.has(node)) return null;
    for (const next of graph.get(node)) {
      const found = circleFrom(next, [...way, node]);
      if (found !== null) return found;
    }
    done.add(node);
    return null;
  };
  for (const node of graph.keys()) {
    const circle = circleFrom(node, []);
    if (circle === null) continue;
    process.stderr.write(
      `${what} import one another in a circle:\n  ${circle.map((f) => relative(root, f)).join('\n  ')}\n`,
    );
    process.exit(1);
  }
}
requireNoCircle(imports, 'These files');

/** The rooms of core and of the database's port have an order, too: whoever knows one knows what may lie below it. */
for (const name of ['core', 'postgres']) {
  const source = join(packages, name, 'src');
  const roomOf = (file) => join(source, relative(source, file).split('/').slice(0, -1)[0] ?? '.');
  const rooms = new Map();
  for (const [file, found] of imports) {
    if (!file.startsWith(source) || file === join(source, 'index.ts') || roomOf(file) === source) continue;
    const others = found.map(roomOf).filter((room) => room !== roomOf(file) && room !== source);
    rooms.set(roomOf(file), new Set([...(rooms.get(roomOf(file)) ?? []), ...others]));
  }
  for (const others of [...rooms.values()]) for (const room of others) if (!rooms.has(room)) rooms.set(room, new Set());
  requireNoCircle(rooms, 'These rooms');
}
