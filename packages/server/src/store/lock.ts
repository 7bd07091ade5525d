import { createHash } from 'node:crypto';
import { realpathSync } from 'node:fs';
import { createServer, type Server } from 'node:net';
import { StartError } from './start-error.ts';

/**
 * Two processes on one data directory would destroy it, and PGlite does not notice. The lock is an abstract Unix socket
 * named after the real path: the kernel frees it however the process ends.
 */
export async function lockDirectory(directory: string): Promise<Server> {
  const name = `\0versicle-${createHash('sha256').update(realpathSync(directory)).digest('hex').slice(0, 40)}`;
  const server = createServer();
  await new Promise<void>((resolve, reject) => {
    server.once('error', (error: NodeJS.ErrnoException) => {
      reject(
        error.code === 'EADDRINUSE'
          ? new StartError(
              `The data directory ${directory} is in use by another Versicle. Stop that one, or start this one with another directory (VERSICLE_DATA).`,
            )
          : error,
      );
    });
    server.listen({ path: name }, resolve);
  });
  server.unref();
  return server;
}
