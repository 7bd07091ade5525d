import { createReadStream } from 'node:fs';
import { open } from 'node:fs/promises';
import { basename } from 'node:path';
import { firstBytes, gunzip } from '@versicle/core';

const CHUNK = 256 * 1024;
export const isGzip = (name: string): boolean => name.toLowerCase().endsWith('.gz');

/** A file's bytes; gzip is read through. `name` is what people call the file. */
export function chunksOf(path: string, name = basename(path)): AsyncIterable<Uint8Array> {
  const raw = createReadStream(path, { highWaterMark: CHUNK }) as AsyncIterable<Uint8Array>;
  return isGzip(name) ? gunzip(raw, name) : raw;
}

/** The first bytes of a file, unpacked where needed. */
export async function readSample(path: string, bytes: number, name = basename(path)): Promise<Uint8Array> {
  if (isGzip(name)) return firstBytes(chunksOf(path, name), bytes);
  const file = await open(path);
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
