import type { Delivered, Delivery } from '@versicle/core';

/** One SQL statement with its parameters; `copy` is COPY text for a `COPY … FROM '/dev/blob'`. */
export interface Statement {
  readonly sql: string;
  readonly params?: readonly unknown[];
  readonly copy?: Uint8Array;
}
export type Row = Record<string, unknown>;

/** What a run that replaces a table's content puts in its place at the end. */
export interface Swap {
  readonly source: string;
  readonly table: string;
  readonly columns: readonly string[];
  /** Share of the rows (0 to 1) that may go without a person's word; null: a person has spoken. */
  readonly mayRemove: number | null;
}
export interface Swapped {
  /** Rows before and after; `done` is false where a person must be asked first. */
  readonly before: number;
  readonly after: number;
  readonly done: boolean;
}

/**
 * The port to PostgreSQL. Every call is one round trip; `transaction` runs its statements as one unit. Behind it stands a
 * PGlite in a worker thread of its own (pglite.ts).
 */
export interface Database {
  query<T extends Row = Row>(sql: string, params?: readonly unknown[]): Promise<T[]>;
  /** Several statements without parameters. */
  exec(sql: string): Promise<void>;
  /** All or nothing; gives each statement's rows. */
  transaction(statements: readonly Statement[]): Promise<Row[][]>;
  /** Delivers a chunk at most once: a chunk that is in the journal already is left alone and what became of it is given again. */
  deliver(delivery: Delivery): Promise<Delivered>;
  /** Puts what a run loaded beside a table in its place, in one transaction and at most once. */
  swap(swap: Swap): Promise<Swapped>;
  /** Removes what a run loaded beside a table. */
  discard(source: string): Promise<void>;
  close(): Promise<void>;
}

/** The database said no; code is the SQLSTATE. */
export class DatabaseError extends Error {
  constructor(
    message: string,
    readonly code: string,
    readonly detail: string | null,
  ) {
    super(message);
    this.name = 'DatabaseError';
  }
}
