import { cpSync, existsSync, mkdirSync, renameSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { Worker } from 'node:worker_threads';
import { buffersOf, type Delivered, type Delivery } from '@versicle/core';
import { DatabaseError, type Database, type Row, type Statement, type Swap, type Swapped } from './database.ts';

interface Waiting {
  resolve(value: unknown): void;
  reject(error: Error): void;
}

/** A PGlite behind the Database port, in a worker thread of its own, so that the HTTP loop stays free. */
export class PgliteDatabase implements Database {
  private readonly waiting = new Map<number, Waiting>();
  private nextId = 1;
  private ended: Error | null = null;
  private closing = false;
  /** Hears that the thread of the database ended although nobody closed it. */
  died: (() => void) | null = null;

  private constructor(private readonly worker: Worker) {}

  /** `journal`: keep the table of delivered chunks, for databases that runs write into. */
  static async open(
    directory: string,
    options: { journal?: boolean; template?: string } = {},
  ): Promise<PgliteDatabase> {
    if (!existsSync(join(directory, 'PG_VERSION'))) await makeFromTemplate(directory, options.template);
    return PgliteDatabase.start(directory, options.journal ?? false);
  }

  private static start(directory: string, journal: boolean): Promise<PgliteDatabase> {
    const worker = new Worker(new URL('./pglite-worker.js', import.meta.url), { workerData: { directory, journal } });
    const database = new PgliteDatabase(worker);
    return new Promise((resolve, reject) => {
      worker.on(
        'message',
        ({
          id,
          value,
          error,
        }: {
          id: number;
          value: unknown;
          error?: { message: string; code: string; detail: string | null };
        }) => {
          if (id === 0) return resolve(database);
          const waiting = database.waiting.get(id);
          database.waiting.delete(id);
          if (error) waiting?.reject(new DatabaseError(error.message, error.code, error.detail));
          else waiting?.resolve(value);
        },
      );
      worker.on('error', (error) => {
        database.end(error);
        reject(error);
      });
      worker.on('exit', () => {
        const expected = database.closing;
        database.end(new Error('The database has been closed.'));
        if (!expected) database.died?.();
      });
    });
  }

  private end(error: Error): void {
    this.ended ??= error;
    for (const { reject } of this.waiting.values()) reject(error);
    this.waiting.clear();
  }

  private call(message: Record<string, unknown>, transfer: ArrayBuffer[] = []): Promise<unknown> {
    if (this.ended) return Promise.reject(this.ended);
    const id = this.nextId++;
    return new Promise((resolve, reject) => {
      this.waiting.set(id, { resolve, reject });
      this.worker.postMessage({ id, ...message }, transfer);
    });
  }

  query<T extends Row = Row>(sql: string, params: readonly unknown[] = []): Promise<T[]> {
    return this.call({ kind: 'query', statement: { sql, params } }) as Promise<T[]>;
  }
  async exec(sql: string): Promise<void> {
    await this.call({ kind: 'exec', sql });
  }
  transaction(statements: readonly Statement[]): Promise<Row[][]> {
    return this.call({ kind: 'transaction', statements }) as Promise<Row[][]>;
  }
  deliver(delivery: Delivery): Promise<Delivered> {
    return this.call(
      { kind: 'deliver', delivery },
      delivery.parts.flatMap((part) => buffersOf(part.content)),
    ) as Promise<Delivered>;
  }
  swap(swap: Swap): Promise<Swapped> {
    return this.call({ kind: 'swap', swap }) as Promise<Swapped>;
  }
  async discard(source: string): Promise<void> {
    await this.call({ kind: 'discard', source });
  }
  async close(): Promise<void> {
    if (this.ended) return;
    this.closing = true;
    await this.call({ kind: 'close' });
    await this.worker.terminate();
  }
}

/** A new data directory takes nine seconds to make and a moment to copy: made once, kept as a template. */
async function makeFromTemplate(directory: string, template: string | undefined): Promise<void> {
  if (template === undefined) return void mkdirSync(directory, { recursive: true });
  if (!existsSync(join(template, 'PG_VERSION'))) {
    const { PGlite } = await import('@electric-sql/pglite');
    const making = `${template}.${process.pid}`;
    rmSync(making, { recursive: true, force: true });
    mkdirSync(making, { recursive: true });
    const db = await PGlite.create(making);
    await db.exec('CHECKPOINT');
    await db.close();
    if (existsSync(template)) rmSync(making, { recursive: true });
    else renameSync(making, template);
  }
  const partial = `${directory}.new`;
  rmSync(partial, { recursive: true, force: true });
  cpSync(template, partial, { recursive: true });
  rmSync(directory, { recursive: true, force: true });
  renameSync(partial, directory);
}
