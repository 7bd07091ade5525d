import { Fault, isFault } from '@versicle/core';
import { createHash } from 'node:crypto';
import { readFileSync, readlinkSync, realpathSync, rmSync, statSync, utimesSync, writeFileSync } from 'node:fs';
import { createServer, type Server } from 'node:net';
import { hostname } from 'node:os';
import { join } from 'node:path';

/** A sign of life is written so often, and believed for so long. */
const BEAT = 2000;
const BELIEVED = 15_000;

/**
 * Two processes on one data directory would destroy it, and PGlite does not notice. The lock is an abstract Unix socket
 * named after the real path: the kernel frees it however the process ends. Another container on the same volume does not see
 * that socket; for it a file in the directory says who is there, and is kept fresh.
 */
export async function lockDirectory(directory: string): Promise<Server> {
  const name = `\0versicle-${createHash('sha256').update(realpathSync(directory)).digest('hex').slice(0, 40)}`;
  const server = createServer();
  await new Promise<void>((resolve, reject) => {
    server.once('error', (error: NodeJS.ErrnoException) =>
      reject(error.code === 'EADDRINUSE' ? inUse(directory) : error),
    );
    server.listen({ path: name }, resolve);
  });
  server.unref();
  keepFile(directory);
  return server;
}
const inUse = (directory: string): Fault =>
  new Fault(
    'start',
    `The data directory ${directory} is in use by another Versicle. Stop that one, or start this one with another directory (VERSICLE_DATA).`,
  );

/** Where this process could see the socket of another one: the machine, and its network namespace. */
function place(): string {
  try {
    return `${readFileSync('/proc/sys/kernel/random/boot_id', 'utf8').trim()} ${readlinkSync('/proc/self/ns/net')}`;
  } catch {
    return hostname();
  }
}
function keepFile(directory: string): void {
  const file = join(directory, 'in-use');
  const here = place();
  try {
    const said = readFileSync(file, 'utf8');
    // One of the same place would have had the socket: it is gone.
    if (said !== here && Date.now() - statSync(file).mtimeMs < BELIEVED) throw inUse(directory);
  } catch (error) {
    if (isFault(error, 'start')) throw error;
  }
  writeFileSync(file, here);
  const beat = setInterval(() => {
    const now = new Date();
    try {
      utimesSync(file, now, now);
    } catch {
      // Without the file nobody is kept out who does not see the socket; the next beat tries again.
    }
  }, BEAT);
  beat.unref();
  process.once('exit', () => rmSync(file, { force: true }));
}
