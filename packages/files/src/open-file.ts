import { open, type FileHandle } from 'node:fs/promises';
import { Fault } from '@versicle/core';

/** Opens a file to read it. Throws a fault that says why it can't be. */
export async function openFile(path: string, name: string): Promise<FileHandle> {
  try {
    return await open(path);
  } catch (error) {
    throw notOpened(error as NodeJS.ErrnoException, name);
  }
}

/** What stands against opening a file, in words. */
export function notOpened({ code, message }: NodeJS.ErrnoException, name: string): Fault {
  return new Fault('unreadable', `${name} can't be read: ${WHY[code ?? ''] ?? message}.`);
}
const WHY: Readonly<Record<string, string>> = {
  EACCES: 'the user that Versicle runs as has no right to',
  EPERM: 'the user that Versicle runs as has no right to',
  ENOENT: 'it is not there any more',
  ELOOP: 'it is a link that leads to itself',
  ENXIO: 'it is no file with content',
  EMFILE: 'too many files are open; try again',
  ENFILE: 'too many files are open; try again',
  EIO: 'the disk does not give it',
};
