import {
  constants,
  closeSync,
  existsSync,
  fsyncSync,
  mkdirSync,
  openSync,
  readdirSync,
  renameSync,
  rmSync,
  statSync,
  writeFileSync,
} from 'node:fs';
import { randomUUID } from 'node:crypto';
import { dirname, join } from 'node:path';
import { LOST_RUN } from '@versicle/postgres';
import type { TargetRun } from '../kind.ts';

/** Another process has taken the run on since. */
export class StageGone extends Error {
  readonly code = LOST_RUN;
  constructor() {
    super('Another process has taken this run on.');
  }
}

const FOLDER = '.versicle-claims';
/** Milliseconds since anything was put into a stage or out of it. */
const FORGOTTEN = 30 * 24 * 60 * 60 * 1000;

/**
 * Where a claim of a run writes what is put into its place in one step. The next claim takes the folder away: whoever was frozen,
 * and wakes, finds nothing that it could put anywhere.
 */
export class Stage {
  private readonly folder: string;
  private readonly path: string;

  constructor(
    root: string,
    private readonly run: Pick<TargetRun, 'uid' | 'claim'>,
  ) {
    this.folder = join(root, FOLDER);
    this.path = join(this.folder, `${nameOf(run.uid)}-${run.claim}`);
  }

  /** Takes it from whoever had the run before. Throws where a later claim has it. */
  take(): void {
    // Not its parent: a folder that is gone is not made anew.
    makeFolder(this.folder);
    const mine = `${nameOf(this.run.uid)}-`;
    for (const name of readdirSync(this.folder)) {
      if (!name.startsWith(mine)) {
        // Of a run that broke, and that nobody took up again.
        if (ageOf(join(this.folder, name)) > FORGOTTEN) removeAtOnce(join(this.folder, name));
        continue;
      }
      const claim = Number(name.slice(mine.length));
      if (claim > this.run.claim) throw new StageGone();
      if (claim < this.run.claim) removeAtOnce(join(this.folder, name));
    }
    makeFolder(this.path);
  }
  /** The run is over: nobody puts anything into its place any more. */
  leave(): void {
    if (existsSync(this.path)) removeAtOnce(this.path);
  }

  /** A file of this claim's, such as `part` or `whole.csv`. */
  file(name: string): string {
    return join(this.path, name);
  }
  /** A file with this content, there as a whole or not at all. */
  put(content: Uint8Array, path: string): void {
    const staged = this.file(randomUUID());
    writeNew(staged, content);
    this.move(staged, path);
  }
  /** Puts a file of the stage into its place, in one step. */
  move(staged: string, path: string): void {
    renameSync(staged, path);
  }
  /** What is done with its files. Throws StageGone where that fails because the stage was taken away. */
  async during<T>(work: () => T | Promise<T>): Promise<T> {
    try {
      return await work();
    } catch (error) {
      throw existsSync(this.path) ? error : new StageGone();
    }
  }
}

function makeFolder(path: string): void {
  try {
    mkdirSync(path);
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== 'EEXIST') throw error;
  }
}
const nameOf = (uid: string): string => uid.replace(/[^0-9a-zA-Z]/g, '');
const ageOf = (path: string): number => Date.now() - (statSync(path, { throwIfNoEntry: false })?.mtimeMs ?? Infinity);
/** Out of the way in one step, whatever is in it. */
function removeAtOnce(path: string): void {
  const away = join(dirname(path), `gone-${randomUUID()}`);
  try {
    renameSync(path, away);
  } catch (error) {
    // Somebody else was quicker.
    if ((error as NodeJS.ErrnoException).code !== 'ENOENT') throw error;
  }
  rmSync(away, { recursive: true, force: true });
}
/** Never through a link that somebody put there. */
function writeNew(path: string, content: Uint8Array): void {
  const file = openSync(path, constants.O_WRONLY | constants.O_CREAT | constants.O_EXCL | constants.O_NOFOLLOW, 0o644);
  try {
    writeFileSync(file, content);
    // It counts as delivered from now on, also for a machine that loses its power.
    fsyncSync(file);
  } finally {
    closeSync(file);
  }
}
