import { spawnSync } from 'node:child_process';
import { existsSync, readFileSync, statSync } from 'node:fs';
import { createHash } from 'node:crypto';
import { writeFileSync, mkdirSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

export const root = join(dirname(fileURLToPath(import.meta.url)), '..');
const mark = join(root, 'node_modules', '.versicle-installed');

export function fail(sentence) {
  process.stderr.write(`${sentence}\n`);
  process.exit(1);
}

function lockHash() {
  const hash = createHash('sha256');
  const lock = join(root, 'package-lock.json');
  if (existsSync(lock)) hash.update(readFileSync(lock));
  return hash.digest('hex');
}

/** Installs the packages of the lock file unless that has been done already. */
export function ensureInstalled() {
  const [major, minor] = process.versions.node.split('.').map(Number);
  if (major < 20 || (major === 20 && minor < 19))
    fail(`Versicle needs Node.js 20.19 or newer; this is ${process.versions.node}.`);
  const wanted = lockHash();
  if (existsSync(mark) && readFileSync(mark, 'utf8') === wanted) return;
  process.stderr.write('Installing packages (a minute or two, once) …\n');
  const npm = (...args) =>
    spawnSync('npm', [...args, '--no-audit', '--no-fund', '--loglevel=error'], {
      cwd: root,
      stdio: ['ignore', 'ignore', args[0] === 'ci' ? 'ignore' : 'inherit'],
      env: { ...process.env, NG_CLI_ANALYTICS: 'false' },
    }).status;
  // `npm ci` refuses a lock file that lacks another platform's optional packages; `npm install` takes it.
  if (npm('ci') !== 0 && npm('install', '--no-save') !== 0)
    fail('The packages could not be installed; see the message above. Is the package registry reachable?');
  mkdirSync(dirname(mark), { recursive: true });
  writeFileSync(mark, lockHash());
}

/** The newest change among files, as milliseconds. */
export function newest(paths) {
  return Math.max(0, ...paths.filter((p) => existsSync(p)).map((p) => statSync(p).mtimeMs));
}
