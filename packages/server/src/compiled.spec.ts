import { execFileSync } from 'node:child_process';
import { copyFileSync, mkdtempSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

const loader = join(__dirname, '../../../scripts/compiled.mjs');

describe('a program that is kept as it was compiled', () => {
  let home: string;
  beforeEach(() => {
    home = mkdtempSync(join(tmpdir(), 'versicle-compiled-'));
    copyFileSync(loader, join(home, 'compiled.mjs'));
  });
  afterEach(() => rmSync(home, { recursive: true }));

  const write = (program: string, hash: string): void => {
    writeFileSync(join(home, 'program.cjs'), program);
    writeFileSync(
      join(home, 'program.mjs'),
      `import { runCompiled } from './compiled.mjs';\nrunCompiled(new URL('./program.cjs', import.meta.url), '${hash}');\n`,
    );
  };
  /** What it says, in a thread, since what those are compiled to is kept at once. */
  const run = (...flags: string[]): string =>
    execFileSync(process.execPath, [...flags, '-e', "new (require('node:worker_threads').Worker)('./program.mjs')"], {
      cwd: home,
      encoding: 'utf8',
    });
  const kept = (): string[] => readdirSync(home).filter((name) => name.endsWith('.compiled'));

  it('does the same each time, with what it asks for later, and is kept once', () => {
    write(
      "const { sep } = require('node:path'); setImmediate(() => console.log(sep + require('node:os').EOL.length + __programUrl.slice(-12)));",
      'one',
    );
    expect(run()).toBe('/1/program.cjs\n');
    const [name] = kept();
    const before = statSync(join(home, name!)).mtimeMs;
    expect(run()).toBe('/1/program.cjs\n');
    expect(kept()).toEqual([name]);
    expect(statSync(join(home, name!)).mtimeMs).toBe(before);
  });

  it('is compiled anew where it is another program of the same length, and where Node has other flags', () => {
    write('console.log("before");', 'one');
    expect(run()).toBe('before\n');
    write('console.log("behind");', 'two');
    expect(run()).toBe('behind\n');
    expect(kept()).toHaveLength(2);
    expect(run('--no-opt')).toBe('behind\n');
    expect(kept()).toHaveLength(3);
  });

  it('is compiled anew where what was kept is damaged, cut or empty', () => {
    write(`const words = ${JSON.stringify(Array.from({ length: 500 }, (_, i) => `word ${i}`))}; console.log(words.length);`, 'one'); // prettier-ignore
    expect(run()).toBe('500\n');
    const path = join(home, kept()[0]!);
    const whole = readFileSync(path);
    for (const damaged of [
      whole.subarray(0, whole.length >> 1),
      Buffer.alloc(0),
      Buffer.from(whole.map((byte, i) => (i === whole.length >> 1 ? byte ^ 0xff : byte))),
    ]) {
      writeFileSync(path, damaged);
      expect(run()).toBe('500\n');
      expect(readFileSync(path)).toHaveLength(whole.length);
    }
  });
});
