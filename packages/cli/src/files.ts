import { Fault } from '@versicle/core';
import { statSync } from 'node:fs';

/** Says why a path can't be read, before anything else is tried. */
export function requireFile(path: string): void {
  let stats;
  try {
    stats = statSync(path);
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException;
    throw new Fault(
      'input',
      code === 'ENOENT'
        ? `There is no file ${path}. Check the name and the folder.`
        : `${path} can't be opened: ${(error as Error).message}`,
    );
  }
  if (stats.isDirectory()) throw new Fault('input', `${path} is a folder, not a file; name a file in it.`);
  if (!stats.isFile()) throw new Fault('input', `${path} is not a regular file.`);
}
