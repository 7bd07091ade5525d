import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { unaccounted } from './accounts.ts';
import { corpus, type CorpusFile, type Outcome, readOutcome } from './corpus.ts';
import { mutated } from './mutated.ts';
import { randomBelow } from '@versicle/core/testing/random';

/**
 * `node --import tsx mutations.ts SEED VARIANTS`: reads as many damaged variants of the files of the corpus, each by what a look
 * finds and by what was settled for the whole file; writes what went wrong as JSON. A crash or a fault of another kind ends it.
 */
const [seed = 1, variants = 1000] = process.argv.slice(2).map(Number);
/** Milliseconds that no variant of these small files may take. */
const LONG = 5000;
const found: string[] = [];
const sentences = new Map<string, number>();

const random = randomBelow(seed);
const folder = mkdtempSync(join(tmpdir(), 'versicle-mutations-'));
try {
  const files: { file: CorpusFile; whole: Buffer; origin: Outcome }[] = [];
  for (const file of corpus()) {
    const origin = await readOutcome(file.path, { part: file.means.part ?? null, fixed: file.means.format ?? null });
    files.push({ file, whole: readFileSync(file.path), origin });
  }
  for (let i = 0; i < variants; i++) {
    const { file, whole, origin } = files[i % files.length]!;
    const { bytes, what } = mutated(whole, random);
    const path = join(folder, file.name);
    writeFileSync(path, bytes);
    const say = (problem: string): void => void found.push(`${file.name}, ${what}: ${problem}`);
    try {
      for (const as of [null, origin.format!]) {
        const began = Date.now();
        const read = await readOutcome(path, { as });
        if (Date.now() - began > LONG) say(`took ${Date.now() - began} ms`);
        for (const told of [read.refusal, ...read.unreadable])
          if (told !== null) sentences.set(shape(told), (sentences.get(shape(told)) ?? 0) + 1);
        const problem = as === null ? null : unaccounted(bytes, as, read, origin);
        if (problem !== null) say(problem);
      }
    } catch (error) {
      say(`ended with ${(error as Error).stack}`);
    }
  }
} finally {
  rmSync(folder, { recursive: true });
}
console.log(JSON.stringify({ seed, variants, found, sentences: Object.fromEntries(sentences) }, null, 1));

/** A sentence without what is different in each file. */
function shape(sentence: string): string {
  return sentence
    .replace(/\S+\.(xlsx|csv|txt|jsonl?|xml)/g, 'FILE')
    .replace(/“[^”]*”/g, '“…”')
    .replace(/[0-9a-fx]*\d[0-9a-fx]*/g, '#')
    .slice(0, 120);
}
