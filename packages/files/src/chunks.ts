import { basename } from 'node:path';
import { firstBytes, gunzip } from '@versicle/core';
import { openFile } from './open-file.ts';
import { steadyBytes, type FileState } from './steady-file.ts';

export const isGzip = (name: string): boolean => name.toLowerCase().endsWith('.gz');

/** A file's bytes, as it was (`as`) or as it is; gzip is read through. `name` is what people call the file. Throws a fault. */
export function chunksOf(path: string, name = basename(path), as: FileState | null = null): AsyncIterable<Uint8Array> {
  const raw = steadyBytes(path, name, as);
  return isGzip(name) ? gunzip(raw, name) : raw;
}

/** The first bytes of a file, unpacked where needed. */
export async function readSample(path: string, bytes: number, name = basename(path)): Promise<Uint8Array> {
  if (isGzip(name)) return firstBytes(chunksOf(path, name), bytes);
  const file = await openFile(path, name);
  try {
    const buffer = new Uint8Array(bytes);
    let length = 0;
    for (;;) {
      const { bytesRead } = await file.read(buffer, length, bytes - length, length);
      length += bytesRead;
      if (bytesRead === 0 || length === bytes) return buffer.subarray(0, length);
    }
  } finally {
    await file.close();
  }
}
