import type { DeliveryMode, Part } from '@versicle/core';

/** One transaction of a database that takes chunks: a PGlite, or a PostgreSQL server. */
export interface DeliveryTransaction {
  exec(sql: string): Promise<unknown>;
  /** `count`: rows that the statement wrote. */
  query(sql: string, params?: unknown[]): Promise<{ rows: Record<string, unknown>[]; count: number }>;
  /** COPY text into a table, giving the rows that it took; null where the server does not take COPY: rows go in as arrays then. */
  readonly copy: ((table: string, columns: string, text: Uint8Array) => Promise<number>) | null;
}

/** One part of a chunk on its way into a table. */
export interface PartRows {
  readonly source: string;
  readonly mode: DeliveryMode;
  readonly part: Part;
  /** Its place among the chunk's parts. */
  readonly number: number;
}
