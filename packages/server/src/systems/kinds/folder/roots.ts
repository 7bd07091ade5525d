import { refused } from '@versicle/core';
import { realpathSync } from 'node:fs';
import { delimiter, resolve, sep } from 'node:path';

/** What a path is in the end, links followed; as it is written where it is not there. */
function real(path: string): string {
  try {
    return realpathSync(path);
  } catch {
    return resolve(path);
  }
}
const lies = (path: string, within: string): boolean =>
  path === within || path.startsWith(within === sep ? sep : within + sep);

/** The folders below which others may be chosen: those that whoever starts the server names. */
export function allowedRoots(): string[] {
  return (process.env['VERSICLE_ROOTS'] ?? '')
    .split(delimiter)
    .filter((p) => p.trim() !== '')
    .map(real);
}

/** Refuses a folder that nobody allowed, and the data directory of the server itself. */
export function requireAllowedRoot(root: string): void {
  const faults = [{ path: 'connection.root', message: 'not allowed' }];
  const path = real(root);
  const data = real(process.env['VERSICLE_DATA'] ?? 'data');
  if (lies(path, data))
    throw refused('Versicle keeps its own data there; it is not read as a folder of files.', faults);
  const roots = allowedRoots();
  if (roots.some((allowed) => lies(path, allowed))) return;
  throw refused(
    roots.length === 0
      ? `No folders may be chosen yet. Whoever starts the server names those that may, in VERSICLE_ROOTS (several with “${delimiter}” between them).`
      : `${root} does not lie in a folder that may be chosen: ${roots.join(', ')}. Whoever starts the server names them in VERSICLE_ROOTS.`,
    faults,
  );
}
