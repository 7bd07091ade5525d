import { createHash } from 'node:crypto';
import { readFileSync, renameSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { fileURLToPath } from 'node:url';
import { cachedDataVersionTag } from 'node:v8';
import { Script } from 'node:vm';
import { isMainThread } from 'node:worker_threads';

/** The program itself is under way by then, with all that it needs at its start. */
const KEEP_AFTER = 2000;

/**
 * Runs a bundled program (a script in the form of CommonJS) as the machine code's compiler left it the last time: reading it
 * anew takes longer than all else of a start. What is kept lies beside it, by what it is made from (`hash`), and by the
 * version and the flags of the machine; without a place to keep it, it is compiled each time.
 */
export function runCompiled(url, hash) {
  const filename = fileURLToPath(url);
  const source = readFileSync(filename, 'utf8');
  const place = `${filename}.${hash}.${cachedDataVersionTag()}.compiled`;
  const kept = readKept(place);
  const program = `(function (exports, require, module, __filename, __programUrl) {${source}\n})`;
  const script = new Script(program, { filename, cachedData: kept });
  const module = { exports: {} };
  script.runInThisContext()(module.exports, createRequire(url), module, filename, url.href);
  if (kept !== undefined && !script.cachedDataRejected) return;
  const keep = () => writeKept(place, script.createCachedData());
  // Threads may live for a moment only.
  if (isMainThread) setTimeout(keep, KEEP_AFTER).unref();
  else keep();
}

const sum = (data) => createHash('sha256').update(data).digest();

/** The machine itself believes what it is given: what was cut off or damaged is not given to it. */
function readKept(place) {
  try {
    const whole = readFileSync(place);
    const data = whole.subarray(32);
    return whole.length > 32 && sum(data).equals(whole.subarray(0, 32)) ? data : undefined;
  } catch {
    return undefined;
  }
}
function writeKept(place, data) {
  try {
    const partial = `${place}.${process.pid}.${Math.random().toString(36).slice(2)}`;
    writeFileSync(partial, Buffer.concat([sum(data), data]));
    renameSync(partial, place);
  } catch {
    // A folder that nobody may write into, or a full disk: the next start takes a moment longer, nothing else.
  }
}
