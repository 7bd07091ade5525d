import type { Delivered, Delivery } from '@versicle/core';
import type { Row, Session } from './session.ts';

/** One SQL statement with its parameters. */
export interface Statement {
  readonly sql: string;
  readonly params?: readonly unknown[];
}

/** What a run that replaces a table's content puts in its place at the end. */
export interface Swap {
  readonly source: string;
  /** As in a delivery: whose the run is. */
  readonly claim: number;
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
 * The port to PostgreSQL. Every call is one round trip; `transaction` runs its statements as one unit. It has two homes: a
 * PGlite (pglite/), in this thread or in a worker of its own, and a server (tcp/). Values come the same from both:
 * settings.ts says which as text.
 */
export interface Database {
  query<T extends Row = Row>(sql: string, params?: readonly unknown[]): Promise<T[]>;
  /** Several statements without parameters. */
  exec(sql: string): Promise<void>;
  /** All or nothing; gives each statement's rows. Where the home can end what it is at, a signal takes it back (`Aborted`). */
  transaction(statements: readonly Statement[], signal?: AbortSignal): Promise<Row[][]>;
  /** Says in the journal that a run was taken on: whoever had it before delivers nothing more (`LOST_RUN`). */
  takeOn(source: string, claim: number): Promise<void>;
  /**
   * Delivers a chunk at most once: a chunk that is in the journal already is left alone and what became of it is given again.
   * A signal that is aborted before the chunk is committed takes it back (`Aborted`).
   */
  deliver(delivery: Delivery, signal?: AbortSignal): Promise<Delivered>;
  /** Puts what a run loaded beside a table in its place, in one transaction and at most once. */
  swap(swap: Swap, signal?: AbortSignal): Promise<Swapped>;
  /** Removes what a run loaded beside a table. */
  discard(source: string): Promise<void>;
  close(): Promise<void>;
}

/** A home whose sessions are at hand: not one that lies behind messages. */
export interface Sessions {
  /** All that `work` does is one transaction: committed when it is done, taken back when it throws. */
  inTransaction<T>(work: (session: Session) => Promise<T>, signal?: AbortSignal): Promise<T>;
}

/** The code of an error that says that another process has taken a run on; the store's own function says it with the same. */
export const LOST_RUN = 'VRS01';

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

/** An error as the port tells it: what a database says by a SQLSTATE, and what is wrong with the way there, as it is. */
export function databaseError(error: unknown): unknown {
  const { code, message, detail } = error as { code?: unknown; message?: unknown; detail?: unknown };
  if (error instanceof DatabaseError || typeof code !== 'string' || !/^[0-9A-Z]{5}$/.test(code)) return error;
  return new DatabaseError(String(message), code, typeof detail === 'string' ? detail : null);
}
