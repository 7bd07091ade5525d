import { PGlite, type Transaction } from '@electric-sql/pglite';
import { parentPort, workerData } from 'node:worker_threads';
import type { Delivered, Delivery } from '@versicle/core';
import type { Statement, Swap } from './database.ts';
import { deliverChunk, discardOf, JOURNAL, swapContent } from './deliver.ts';
import { parsers } from './parsers.ts';
import { transactionOf } from './pglite-transaction.ts';

/** Owns one PGlite. Requests are served in the order of arrival, each as a whole. */

const { directory, journal } = workerData as { directory: string; journal: boolean };
const port = parentPort!;
const db = await PGlite.create(directory);
await db.exec(`SET TimeZone = 'UTC'; SET DateStyle = 'ISO'; SET IntervalStyle = 'postgres';${journal ? JOURNAL : ''}`);
let sinceCheckpoint = 0;

type Call =
  | { id: number; kind: 'query'; statement: Statement }
  | { id: number; kind: 'exec'; sql: string }
  | { id: number; kind: 'transaction'; statements: Statement[] }
  | { id: number; kind: 'deliver'; delivery: Delivery }
  | { id: number; kind: 'swap'; swap: Swap }
  | { id: number; kind: 'discard'; source: string }
  | { id: number; kind: 'close' };

async function run(executor: Pick<Transaction, 'query'>, { sql, params, copy }: Statement): Promise<unknown[]> {
  const options = copy ? { blob: new Blob([copy as Uint8Array<ArrayBuffer>]), parsers } : { parsers };
  return (await executor.query(sql, (params ?? []) as unknown[], options)).rows;
}

async function serve(call: Call): Promise<unknown> {
  switch (call.kind) {
    case 'query':
      return run(db, call.statement);
    case 'exec':
      await db.exec(call.sql);
      return null;
    case 'transaction':
      return db.transaction(async (tx) => {
        const results: unknown[][] = [];
        for (const statement of call.statements) results.push(await run(tx, statement));
        return results;
      });
    case 'deliver':
      return deliver(call.delivery);
    case 'swap':
      return db.transaction((tx) => swapContent(transactionOf(tx), call.swap));
    case 'discard':
      await db.exec(discardOf(call.source));
      return null;
    case 'close':
      await db.exec('CHECKPOINT');
      await db.close();
      return null;
  }
}

async function deliver(delivery: Delivery): Promise<Delivered> {
  const delivered = await db.transaction((tx) => deliverChunk(transactionOf(tx), delivery));
  sinceCheckpoint += delivery.parts.reduce((sum, part) => sum + part.rows, 0);
  if (sinceCheckpoint > 250_000) {
    sinceCheckpoint = 0;
    await db.exec('CHECKPOINT');
  }
  return delivered;
}
let last = Promise.resolve();
port.on('message', (call: Call) => {
  last = last.then(async () => {
    try {
      port.postMessage({ id: call.id, value: await serve(call) });
    } catch (error) {
      const e = error as { code?: string; message: string; detail?: string };
      port.postMessage({ id: call.id, error: { message: e.message, code: e.code ?? '', detail: e.detail ?? null } });
    }
    if (call.kind === 'close') port.close();
  });
});
port.postMessage({ id: 0, value: 'ready' });
