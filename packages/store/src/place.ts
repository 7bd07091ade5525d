import { Fault } from '@versicle/core';
import { randomUUID } from 'node:crypto';
import { existsSync, linkSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';

/**
 * What a folder is known by to all processes that reach it, under whatever path: a word in a file of its own, made once, also
 * where several begin at the same moment.
 */
export function placeOf(directory: string): string {
  const file = join(directory, 'place');
  if (!existsSync(file)) writeOnce(file, randomUUID());
  return readFileSync(file, 'utf8').trim();
}

/** Files there are named by the numbers of runs: two stores would take each other's. Throws a fault where another store has it. */
export function requireNoOthers(directory: string, installation: string): void {
  const file = join(directory, 'store-of');
  if (!existsSync(file)) writeOnce(file, installation);
  if (readFileSync(file, 'utf8').trim() !== installation)
    throw new Fault(
      'start',
      `The folder ${directory} belongs to the processes of another store. Name another one for this store (VERSICLE_SHARED).`,
    );
}

/** Whole or not there, and by one of several that begin at the same moment. */
function writeOnce(file: string, text: string): void {
  const own = `${file}.${randomUUID()}`;
  writeFileSync(own, text);
  try {
    linkSync(own, file);
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== 'EEXIST') throw error;
  } finally {
    rmSync(own);
  }
}
