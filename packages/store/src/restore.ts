import type { Session } from '@versicle/postgres';
import { createHash } from 'node:crypto';
import { noBackup, type BackupHead, type BackupLine } from './backup.ts';
import { quoted, storedTables, sumOf, type Ask, type StoredTable, type TableSum } from './content.ts';

/** Characters that are handed over at a time. */
const AT_A_TIME = 4 * 1024 * 1024;

/** The head of a backup, and all its lines after that; ends with a sentence where the lines are not whole. */
export async function openBackup(
  lines: AsyncIterable<string>,
): Promise<{ readonly head: BackupHead; readonly lines: AsyncGenerator<BackupLine> }> {
  const read = checked(lines);
  const first = await read.next();
  const head = first.done ? null : (first.value as BackupHead);
  if (head === null || head.versicle !== 'store') throw noBackup('it does not begin as one');
  if (head.form !== 1) throw noBackup('a newer Versicle has written it');
  if (!Array.isArray(head.changes) || !head.changes.every(Number.isInteger)) throw noBackup('its head is not whole');
  return { head, lines: read };
}
async function* checked(lines: AsyncIterable<string>): AsyncGenerator<BackupLine> {
  const hash = createHash('sha256');
  for await (const text of lines) {
    let line: BackupLine;
    try {
      line = JSON.parse(text) as BackupLine;
    } catch {
      throw noBackup('a line of it is not JSON');
    }
    if (typeof line !== 'object' || line === null) throw noBackup('a line of it is none of a backup');
    if ('end' in line) {
      if (line.end !== hash.digest('hex')) throw noBackup('it was changed after it was written');
      return;
    }
    hash.update(`${text}\n`);
    yield line;
  }
  throw noBackup('its end is missing');
}

/** What people make first; a store without any of it has only what its tables begin with. */
const MADE_BY_PEOPLE = ['system', 'mapping', 'plan', 'run', 'code_table'];
/** Whether nobody has made anything in a store that has its tables. */
export async function isUnused(ask: Ask): Promise<boolean> {
  for (const name of MADE_BY_PEOPLE) {
    const [found] = await ask<{ some: boolean }>(`SELECT EXISTS (SELECT 1 FROM ${quoted(name)}) AS some`);
    if (found!.some) return false;
  }
  return true;
}

/** Puts the lines of a backup into tables of the same changes, all or nothing, in one transaction of the session. */
export async function restoreLines(session: Session, lines: AsyncIterable<BackupLine>): Promise<void> {
  const ask: Ask = async (sql, params) => (await session.query(sql, params)).rows as never;
  const tables = await storedTables(ask);
  const deferred = await ask<{ table: string; name: string }>(
    `SELECT conrelid::regclass::text AS table, conname::text AS name FROM pg_constraint
      WHERE contype = 'f' AND connamespace = current_schema()::regnamespace AND NOT condeferrable`,
  );
  const eachReference = async (how: string): Promise<void> => {
    for (const { table, name } of deferred)
      await session.exec(`ALTER TABLE ${table} ALTER CONSTRAINT ${quoted(name)} ${how}`);
  };
  // Rows come table by table, and what they refer to may come later; what triggers would add is among them.
  await eachReference('DEFERRABLE INITIALLY DEFERRED');
  for (const { name } of tables) {
    await session.exec(`ALTER TABLE ${quoted(name)} DISABLE TRIGGER USER`);
    await session.exec(`DELETE FROM ${quoted(name)}`);
  }
  await putRows(session, ask, tables, lines);
  await session.exec('SET CONSTRAINTS ALL IMMEDIATE');
  for (const { name } of tables) await session.exec(`ALTER TABLE ${quoted(name)} ENABLE TRIGGER USER`);
  await eachReference('NOT DEFERRABLE');
}

async function putRows(
  session: Session,
  ask: Ask,
  tables: readonly StoredTable[],
  lines: AsyncIterable<BackupLine>,
): Promise<void> {
  const missing = new Map(tables.map((t) => [t.name, t]));
  let at: { readonly table: StoredTable; readonly columns: readonly string[] } | null = null;
  let text: string[] = [];
  let size = 0;
  const flush = async (): Promise<void> => {
    if (text.length > 0)
      await session.copy!(quoted(at!.table.name), at!.columns.map(quoted).join(', '), Buffer.from(text.join('')));
    [text, size] = [[], 0];
  };
  for await (const line of lines)
    if (Array.isArray(line)) {
      if (at === null || line.length !== at.columns.length) throw noBackup('a row of it stands in no table');
      const row = copyLine(line as (string | null)[]);
      text.push(row);
      size += row.length;
      if (size > AT_A_TIME) await flush();
    } else if ('table' in line) {
      const table = missing.get(line.table);
      if (table === undefined || line.columns.some((c) => !table.columns.includes(c)))
        throw noBackup(`its table ${line.table} is none of this program’s`);
      at = { table, columns: line.columns };
    } else if ('ends' in line) {
      await flush();
      if (at?.table.name !== line.ends) throw noBackup(`${line.ends} ends where it did not begin`);
      await requireSame(ask, at, line);
      missing.delete(line.ends);
    } else if ('sequences' in line)
      for (const { name, value } of line.sequences)
        await ask('SELECT setval($1::regclass, $2::bigint)', [quoted(name), value]);
  if (missing.size > 0) throw noBackup(`it lacks ${[...missing.keys()].join(', ')}`);
}
async function requireSame(
  ask: Ask,
  { table, columns }: { readonly table: StoredTable; readonly columns: readonly string[] },
  { rows, sum }: TableSum,
): Promise<void> {
  const found = await sumOf(ask, { ...table, columns });
  if (found.rows !== rows || found.sum !== sum)
    throw noBackup(`${table.name} had ${rows} rows and has ${found.rows} now, or others than those`);
}

/** As COPY takes a row (PostgreSQL, “COPY”, Text Format). */
const copyLine = (cells: readonly (string | null)[]): string =>
  `${cells.map((cell) => (cell === null ? '\\N' : cell.replace(/[\\\t\n\r]/g, (c) => ESCAPED[c]!))).join('\t')}\n`;
const ESCAPED: Readonly<Record<string, string>> = { '\\': '\\\\', '\t': '\\t', '\n': '\\n', '\r': '\\r' };

/**
 * A restored store is another one for every target: what the old one has delivered since is not known here, and it may be
 * alive. Runs that were not over wait for a person, what targets have is not taken for known, and nothing is told twice. Plans
 * start nothing until they are let go on, unless `goesOn`.
 */
export async function makeAnother(session: Session, at: string, goesOn: boolean): Promise<void> {
  await session.query("DELETE FROM house WHERE name IN ('installation', 'moved', 'arriving')");
  await session.query(
    `UPDATE run SET uid = gen_random_uuid()::text, claimed_until = NULL, state = 'broken', outage = false, followed = true,
            finished_at = clock_timestamp(), error = $1
      WHERE state IN ('queued', 'running', 'asks', 'paused', 'broken')`,
    [
      `Restored from a backup of ${at}. What was delivered after that is not known here: look at the target, then take the run up again, or start a new one.`,
    ],
  );
  // A record may be another by now where it is remembered as it was: all are sent again.
  await session.query('DELETE FROM delivered_part WHERE memory IN (SELECT id FROM delivery_memory WHERE keys IS NULL)');
  await session.query('UPDATE delivered_part SET unsure = true');
  // What sources write down for the old one is the old one's.
  await session.query('DELETE FROM capture');
  await session.query("UPDATE notification SET state = 'given up' WHERE state = 'waiting' AND means <> 'application'");
  if (!goesOn) await session.query('UPDATE plan SET held = true');
}
