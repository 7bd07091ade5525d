/** One SQL statement with its parameters; `copy` is COPY text for a `COPY … FROM '/dev/blob'`. */
export interface Statement {
  readonly sql: string;
  readonly params?: readonly unknown[];
  readonly copy?: Uint8Array;
}
export type Row = Record<string, unknown>;

/** A row that the database refused, by its place in the chunk. */
export interface Rejection {
  readonly index: number;
  /** The row as it was handed over, in COPY's text format. */
  readonly line: string;
  readonly code: string;
  readonly message: string;
  readonly column: string | null;
  readonly constraint: string | null;
}

/** How a chunk of finished rows gets into a table. */
export interface Delivery {
  /** Which Versicle delivers: an outside database may hear of several. Empty for our own databases. */
  readonly source: string;
  readonly run: number;
  readonly chunk: number;
  readonly table: string;
  readonly columns: readonly string[];
  /** PostgreSQL's names of the columns' types. */
  readonly types: readonly string[];
  readonly key: readonly string[];
  readonly mode: 'insert' | 'upsert' | 'keep' | 'replace';
  readonly rows: number;
  /** COPY text, one line a row. */
  readonly copy: Uint8Array;
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
  /** Delivers a chunk at most once: a chunk that is in the journal already is left alone and its rejections are given again. */
  deliver(delivery: Delivery): Promise<Rejection[]>;
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

export function quoteIdentifier(name: string): string {
  return `"${name.replace(/"/g, '""')}"`;
}
