export type Row = Record<string, unknown>;

/** One session with a database: what its statements set, lock or make is seen by the next ones. */
export interface Session {
  /** Several statements without parameters. */
  exec(sql: string): Promise<unknown>;
  /** `count`: rows that the statement wrote. */
  query<T extends Row = Row>(sql: string, params?: readonly unknown[]): Promise<{ rows: T[]; count: number }>;
  /** Rows as arrays, in the order of their columns. */
  arrays<T extends readonly unknown[]>(sql: string, params?: readonly unknown[]): Promise<T[]>;
  /** COPY text into a table, giving the rows that it took; null where the server does not take COPY: rows go in as arrays then. */
  readonly copy: ((table: string, columns: string | null, text: Uint8Array) => Promise<number>) | null;
}
