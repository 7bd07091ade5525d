import { copyFileSync, existsSync, mkdirSync, readdirSync, renameSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { threadId } from 'node:worker_threads';

/**
 * A new data directory takes nine seconds to make and a moment to copy: made once, kept as a template. `make` makes it in
 * the directory that it is given, and leaves it closed; without, it is an empty one.
 */
export async function makeFromTemplate(
  directory: string,
  template: string | undefined,
  make: (directory: string) => Promise<void> = makeEmpty,
): Promise<void> {
  if (isDataDirectory(directory)) return;
  if (template === undefined) return void mkdirSync(directory, { recursive: true });
  if (!isDataDirectory(template)) await makeTemplate(template, make);
  const partial = `${directory}.new`;
  rmSync(partial, { recursive: true, force: true });
  copyAll(template, partial);
  rmSync(directory, { recursive: true, force: true });
  renameSync(partial, directory);
}

/** A thousand small files, of which nothing has to be asked: `cpSync` takes three times as long. */
function copyAll(from: string, to: string): void {
  mkdirSync(to, { recursive: true });
  for (const entry of readdirSync(from, { withFileTypes: true })) {
    const [source, target] = [join(from, entry.name), join(to, entry.name)];
    if (entry.isDirectory()) copyAll(source, target);
    else copyFileSync(source, target);
  }
}

const isDataDirectory = (directory: string): boolean => existsSync(join(directory, 'PG_VERSION'));

/** Several processes and threads may be at it: whoever is done first puts theirs in its place. */
async function makeTemplate(template: string, make: (directory: string) => Promise<void>): Promise<void> {
  const making = `${template}.${process.pid}.${threadId}`;
  rmSync(making, { recursive: true, force: true });
  mkdirSync(making, { recursive: true });
  await make(making);
  try {
    renameSync(making, template);
  } catch (error) {
    if (!isDataDirectory(template)) throw error;
    rmSync(making, { recursive: true });
  }
}

async function makeEmpty(directory: string): Promise<void> {
  // Loaded here only: whoever has the store on a server and nothing embedded does without it.
  const { PGlite } = await import('@electric-sql/pglite');
  const db = await PGlite.create(directory);
  await db.exec('CHECKPOINT');
  await db.close();
}
