import { mkdir, realpath } from 'node:fs/promises';
import { join, sep } from 'node:path';
import { quoted, refused } from '@versicle/core';

/** A folder within another, links followed; it is made where it is not there. Throws a fault for a name that leads out. */
export async function folderWithin(root: string, name: string): Promise<string> {
  if (name.split(/[/\\]/).some((part) => part === '' || part === '.' || part === '..'))
    throw refused(`${quoted(name)} is no folder within this one.`);
  const path = join(root, name);
  await mkdir(path, { recursive: true });
  const [base, real] = [await realpath(root), await realpath(path)];
  if (!real.startsWith(base + sep)) throw refused(`${quoted(name)} leads out of the folder.`);
  return real;
}
