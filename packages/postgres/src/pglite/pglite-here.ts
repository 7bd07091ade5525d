import { PGlite, type PGliteInterface, type Transaction } from '@electric-sql/pglite';
import { pg_trgm } from '@electric-sql/pglite/contrib/pg_trgm';
import type { Delivered, Delivery } from '@versicle/core';
import { databaseError, type Database, type Sessions, type Statement, type Swap, type Swapped } from '../database.ts';
import { deliverChunk, discardOf, JOURNAL, swapContent, takeOnRun } from '../delivery/deliver.ts';
import type { Row, Session } from '../session.ts';
import { AS_TEXT, MISSPELT, SETTINGS } from '../settings.ts';
import { makeFromTemplate } from './template.ts';

const parsers = Object.fromEntries([...AS_TEXT].map((oid) => [oid, (text: string) => text]));

/**
 * Of the buffers, all are written at the start; files of the database are in the system's memory besides. Loading, looking up
 * and changing 600,000 rows is as fast with 16 MB as with the 128 that PostgreSQL takes where nothing is said.
 */
const BUFFERS = ['-c', 'shared_buffers=32MB'];

/** Rows after which a checkpoint is written; PGlite writes none by itself. */
const CHECKPOINT_AFTER = 250_000;

export interface PgliteOptions {
  /** Keep the table of delivered chunks, for databases that runs write into. */
  readonly journal?: boolean;
  /** An empty data directory to begin with; made there when it is missing. */
  readonly template?: string | undefined;
  /** Similarity of words (`pg_trgm`), for finding. */
  readonly trigrams?: boolean;
  /** Further settings of the session. */
  readonly settings?: string;
}

/** A table is read from its beginning, also where somebody left off in the middle of it before. */
const FROM_ITS_START = 'SET synchronize_seqscans = off';

/** A PGlite in this very thread, which is busy while a statement runs. */
export class PgliteHere implements Database, Sessions {
  private sinceCheckpoint = 0;

  private constructor(private readonly db: PGlite) {}

  /** `directory`: null keeps everything in memory. */
  static async open(directory: string | null, options: PgliteOptions = {}): Promise<PgliteHere> {
    if (directory !== null) await makeFromTemplate(directory, options.template);
    const db = await PGlite.create({
      ...(directory === null ? {} : { dataDir: directory }),
      startParams: [...PGlite.defaultStartParams, ...BUFFERS],
      ...(options.trigrams ? { extensions: { pg_trgm } } : {}),
      // Given with a query, they are laid over hundreds of others each time, which takes longer than most queries do.
      parsers,
    });
    await db.exec(
      [
        SETTINGS,
        FROM_ITS_START,
        options.trigrams ? MISSPELT : '',
        options.settings ?? '',
        options.journal ? JOURNAL : '',
      ].join(';'),
    );
    return new PgliteHere(db);
  }

  /** The session outside of transactions; there is one only. */
  get session(): Session {
    return sessionOf(this.db);
  }

  async query<T extends Row = Row>(sql: string, params: readonly unknown[] = []): Promise<T[]> {
    return (await this.said(this.session.query<T>(sql, params))).rows;
  }
  async exec(sql: string): Promise<void> {
    await this.said(this.db.exec(sql));
  }
  transaction(statements: readonly Statement[]): Promise<Row[][]> {
    return this.inTransaction(async (session) => {
      const results: Row[][] = [];
      for (const { sql, params } of statements) results.push((await session.query(sql, params)).rows);
      return results;
    });
  }
  /** What is under way can't be stopped: it ends before anything else of this thread goes on. */
  inTransaction<T>(work: (session: Session) => Promise<T>): Promise<T> {
    return this.said(this.db.transaction((tx) => work(sessionOf(tx))));
  }

  takeOn(source: string, claim: number): Promise<void> {
    return this.inTransaction((session) => takeOnRun(session, source, claim));
  }
  async deliver(delivery: Delivery): Promise<Delivered> {
    const delivered = await this.inTransaction((session) => deliverChunk(session, delivery));
    this.sinceCheckpoint += delivery.parts.reduce((sum, part) => sum + part.rows, 0);
    if (this.sinceCheckpoint > CHECKPOINT_AFTER) {
      this.sinceCheckpoint = 0;
      await this.exec('CHECKPOINT');
    }
    return delivered;
  }
  swap(swap: Swap): Promise<Swapped> {
    return this.inTransaction((session) => swapContent(session, swap));
  }
  async discard(source: string): Promise<void> {
    await this.exec(discardOf(source));
  }
  async close(): Promise<void> {
    await this.db.exec('CHECKPOINT');
    await this.db.close();
  }

  private async said<T>(work: Promise<T>): Promise<T> {
    try {
      return await work;
    } catch (error) {
      throw databaseError(error);
    }
  }
}

function sessionOf(db: Pick<PGliteInterface | Transaction, 'exec' | 'query'>): Session {
  return {
    exec: (sql) => db.exec(sql),
    query: async <T extends Row>(sql: string, params: readonly unknown[] = []) => {
      const { rows, affectedRows } = await db.query<T>(sql, [...params]);
      return { rows, count: affectedRows ?? 0 };
    },
    arrays: async <T extends readonly unknown[]>(sql: string, params: readonly unknown[] = []) =>
      (await db.query<T>(sql, [...params], { rowMode: 'array' })).rows,
    copy: async (table, columns, text) => {
      const blob = new Blob([text as Uint8Array<ArrayBuffer>]);
      const list = columns === null ? '' : ` (${columns})`;
      return (await db.query(`COPY ${table}${list} FROM '/dev/blob'`, [], { blob })).affectedRows ?? 0;
    },
  };
}
