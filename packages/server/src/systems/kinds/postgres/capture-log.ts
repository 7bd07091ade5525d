import { refused } from '@versicle/core';
import { DatabaseError, type ServerDatabase } from '@versicle/postgres';
import type { Captured, Captures } from '../kind.ts';
import { capturable, MOST_KEYS, type CapturedTable } from '../sql/capture.ts';
import type { SqlTables } from '../sql/tables.ts';
import { ChangedKeys } from './log-messages.ts';

/**
 * What changes is told by the server's own log (logical replication, plugin pgoutput), asked by SQL: a slot keeps the log from
 * where its consumer has come, and what was read is confirmed when it is worked off.
 */
export function capturesByLog(database: () => Promise<ServerDatabase>, tables: SqlTables): Captures {
  const table = async (dataset: string): Promise<CapturedTable> => {
    const of = await capturable(tables, dataset);
    const [row] = await (
      await database()
    ).query<{ level: string; identity: string }>(
      "SELECT current_setting('wal_level') AS level, relreplident AS identity FROM pg_class WHERE oid = $1",
      [of.oid],
    );
    if (row!.level !== 'logical')
      throw refused(
        `The server’s log does not tell what changed: its wal_level is ${row!.level}. Set it to logical (the server has to be started again), or let triggers write down what changes.`,
      );
    if (row!.identity === 'n')
      throw refused(
        `${dataset} has REPLICA IDENTITY NOTHING, so the log does not say which rows change. Set it to DEFAULT.`,
      );
    return of;
  };
  return {
    problem: (dataset) =>
      table(dataset).then(
        () => null,
        (error: Error) => error.message,
      ),
    ensure: async (dataset, consumer) => {
      const db = await database();
      const of = await table(dataset);
      if (await stands(db, of, consumer)) return true;
      await forget(db, consumer);
      try {
        await db.exec(`CREATE PUBLICATION ${consumer} FOR TABLE ${of.name}`);
        await db.transaction([
          // It waits for whatever is under way on the server.
          { sql: "SET LOCAL statement_timeout = '60s'" },
          { sql: "SELECT pg_create_logical_replication_slot($1, 'pgoutput')", params: [consumer] },
        ]);
      } catch (error) {
        await forget(db, consumer).catch(() => undefined);
        if (!(error instanceof DatabaseError)) throw error;
        if (error.code === '57014')
          throw refused(
            `The server’s log could not be asked for what changes in ${dataset} within a minute: it waits for a transaction that does not end. Try again when that is over.`,
          );
        throw refused(
          `The server can’t be asked by its log what changes in ${dataset}: ${error.message}. The user needs the right to replicate (ALTER ROLE … REPLICATION) and has to own the table; otherwise let triggers write down what changes.`,
        );
      }
      return false;
    },
    take: async (dataset, consumer) => {
      const db = await database();
      const { fields, oid } = await table(dataset);
      const [now] = await db.query<{ at: string }>('SELECT pg_current_wal_insert_lsn()::text AS at');
      const upTo = now!.at;
      const changed = new ChangedKeys(oid, fields, MOST_KEYS);
      const found = db.read<[string]>(
        "SELECT encode(data, 'hex') FROM pg_logical_slot_peek_binary_changes($1, $2::pg_lsn, NULL, 'proto_version', '1', 'publication_names', $3)",
        undefined,
        [consumer, upTo, consumer],
      );
      for await (const rows of found) for (const [data] of rows) changed.take(Buffer.from(data, 'hex'));
      return { fields, keys: changed.keys, upTo } satisfies Captured;
    },
    confirm: async (consumer, upTo) => {
      await (
        await database()
      ).query(
        'SELECT pg_replication_slot_advance(slot_name, $2::pg_lsn) FROM pg_replication_slots WHERE slot_name = $1 AND confirmed_flush_lsn < $2::pg_lsn',
        [consumer, upTo],
      );
    },
    size: async (consumer) => {
      const [row] = await (
        await database()
      ).query<{ bytes: string | null }>(
        'SELECT GREATEST(1, pg_wal_lsn_diff(pg_current_wal_lsn(), restart_lsn))::bigint::text AS bytes FROM pg_replication_slots WHERE slot_name = $1',
        [consumer],
      );
      return Number(row?.bytes ?? 0);
    },
    forget: async (consumer) => forget(await database(), consumer),
  };
}

/** Whether the slot has kept everything of the very table so far. */
async function stands(db: ServerDatabase, { name, oid }: CapturedTable, consumer: string): Promise<boolean> {
  const [row] = await db.query<{ n: number }>(
    `SELECT count(*)::int AS n FROM pg_replication_slots s JOIN pg_publication p ON p.pubname = s.slot_name
       JOIN pg_publication_rel r ON r.prpubid = p.oid AND r.prrelid = $2::oid
      WHERE s.slot_name = $1 AND s.database = current_database() AND s.wal_status IS DISTINCT FROM 'lost' AND $3 <> ''`,
    [consumer, oid, name],
  );
  return row!.n === 1;
}
async function forget(db: ServerDatabase, consumer: string): Promise<void> {
  await db.query('SELECT pg_drop_replication_slot(slot_name) FROM pg_replication_slots WHERE slot_name = $1', [
    consumer,
  ]);
  await db.exec(`DROP PUBLICATION IF EXISTS ${consumer}`);
}
