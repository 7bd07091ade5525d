import { stat, type FileHandle } from 'node:fs/promises';
import { Fault } from '@versicle/core';
import { notOpened, openFile } from './open-file.ts';

const CHUNK = 256 * 1024;
/** Of a file that grows, so much of its beginning is looked at again. */
const HEAD = 64 * 1024;

/** How a file was when somebody looked at it. */
export interface FileState {
  readonly bytes: number;
  /** When it was last written, in milliseconds. */
  readonly changed: number;
}

/**
 * The bytes of a file as it is when it is opened, whatever becomes of it meanwhile: what is put behind them is not read, and one
 * that is written anew, cut or changed in place ends the reading, before anything of it is given that it may not have had. With
 * `as` it has to be as it was then. Throws a fault. What is no regular file (a pipe) is read to its end.
 */
export async function* steadyBytes(path: string, name: string, as: FileState | null): AsyncGenerator<Uint8Array> {
  const file = await openFile(path, name);
  try {
    const first = await file.stat();
    if (!first.isFile()) return yield* toItsEnd(file);
    if (as !== null && (first.size !== as.bytes || first.mtimeMs !== as.changed)) throw changed(name);
    let written = first.mtimeMs;
    let head: Uint8Array = new Uint8Array(0);
    for (let at = 0; at < first.size;) {
      const bytes = await read(file, at, Math.min(CHUNK, first.size - at));
      if (bytes.length === 0) throw changed(name);
      if (at === 0) head = bytes.slice(0, HEAD);
      const now = await file.stat();
      if (now.mtimeMs !== written) {
        const isLonger = now.size > first.size && same(head, await read(file, 0, head.length));
        if (!isLonger || !same(bytes, await read(file, at, bytes.length))) throw changed(name);
        written = now.mtimeMs;
      }
      at += bytes.length;
      yield bytes;
    }
  } finally {
    await file.close();
  }
}
async function* toItsEnd(file: FileHandle): AsyncGenerator<Uint8Array> {
  for (;;) {
    const buffer = new Uint8Array(CHUNK);
    const { bytesRead } = await file.read(buffer, 0, CHUNK, null);
    if (bytesRead === 0) return;
    yield buffer.subarray(0, bytesRead);
  }
}
async function read(file: FileHandle, from: number, length: number): Promise<Uint8Array> {
  const buffer = new Uint8Array(length);
  let got = 0;
  while (got < length) {
    const { bytesRead } = await file.read(buffer, got, length - got, from + got);
    if (bytesRead === 0) break;
    got += bytesRead;
  }
  return buffer.subarray(0, got);
}
const same = (a: Uint8Array, b: Uint8Array): boolean => Buffer.compare(a, b) === 0;

/** Sees to it that a file which is read in parts stays as it is. Gives what throws a fault where it has not. */
export async function steady(path: string, name: string, as: FileState | null): Promise<() => Promise<void>> {
  const state = async (): Promise<FileState> => {
    const { size, mtimeMs } = await stat(path).catch((error: NodeJS.ErrnoException) => {
      throw notOpened(error, name);
    });
    return { bytes: size, changed: mtimeMs };
  };
  const first = as ?? (await state());
  const look = async (): Promise<void> => {
    const now = await state();
    if (now.bytes !== first.bytes || now.changed !== first.changed) throw changed(name);
  };
  await look();
  return look;
}

const changed = (name: string): Fault =>
  new Fault(
    'unreadable',
    `${name} was changed while it was read, so what was read of it may belong to two states. Begin again when it stands still.`,
  );
