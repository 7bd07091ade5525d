import { join } from 'node:path';
import { bundle } from '../../../../scripts/bundle.mjs';
import { root } from '../../../../scripts/setup.mjs';
import build from './build.mjs';

/** One PostgreSQL server for the stores of all tests; each has a database of its own there. */
export default async function start() {
  await build();
  const program = '.cache/store-server.mjs';
  await bundle({ entry: 'packages/server/src/testing/store-server.ts', outfile: program });
  const { startStoreServer } = await import(join(root, program));
  globalThis.storeServer = await startStoreServer();
  process.env.VERSICLE_STORE_SERVER = String(globalThis.storeServer.port);
}
