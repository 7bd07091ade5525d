import type { Transaction } from '@electric-sql/pglite';
import type { DeliveryTransaction } from './delivery-transaction.ts';

/** A transaction of a PGlite as deliveries need it. */
export function transactionOf(tx: Transaction): DeliveryTransaction {
  return {
    exec: (sql) => tx.exec(sql),
    query: async (sql, params) => {
      const { rows, affectedRows } = await tx.query<Record<string, unknown>>(sql, params);
      return { rows, count: affectedRows ?? 0 };
    },
    copy: async (table, columns, text) => {
      const blob = new Blob([text as Uint8Array<ArrayBuffer>]);
      const { affectedRows } = await tx.query(`COPY ${table} (${columns}) FROM '/dev/blob'`, [], { blob });
      return affectedRows ?? 0;
    },
  };
}
