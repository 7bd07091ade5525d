import {
  counted,
  fieldsOfLine,
  isComposed,
  isWidened,
  namedSourceFields,
  nearest,
  quoted,
  type MappingDocument,
} from '@versicle/core';
import type { Database } from '@versicle/postgres';
import type { RunRow } from '../runs/runs.ts';
import { fromJson } from '../store/values.ts';
import type { SourcePlan } from '../systems/kinds/kind.ts';

/** Of fewer records, all may just happen to have no value. */
const ENOUGH = 20;
/** Whether a member that no record has may have got another name: a similar one is new, or many records have others instead. */
const isRenamed = (records: number, name: string, added: readonly string[]): boolean =>
  nearest(name, added) !== null || (added.length > 0 && records >= ENOUGH);

export interface Noticed {
  readonly log: readonly string[];
  /** The fields that its records are known by; null: all that they have. */
  readonly identity: readonly string[] | null;
}

/**
 * Compares what a run reads with what earlier runs of its mapping read. A new field is told once. Throws a sentence where a
 * field is gone that the mapping uses, or is of a type that may be written otherwise, before anything is written.
 */
export async function noticeSource(
  db: Database,
  { id, mapping, revision, kind, state }: RunRow,
  document: MappingDocument,
  plan: SourcePlan,
): Promise<Noticed> {
  // What is composed says itself which field it lacks; what is taken up again was looked at when it began.
  if (kind !== 'full' || state === 'running' || isComposed(document) || plan.absent?.records === 0) {
    return { log: [], identity: kind === 'full' ? await firstFields(db, mapping, document) : null };
  }
  const { dataset } = document.source.primary;
  const [known] = await db.query<KnownSource>(
    'SELECT fields, types, run, asked FROM source_structure WHERE mapping = $1 AND dataset = $2',
    [mapping, dataset],
  );
  const now = plan.fields.map((f) => f.name).filter((name) => !plan.absent?.fields.includes(name));
  const before =
    known === undefined ? await fieldsAtPublishing(db, mapping, revision, dataset) : fromJson(known.fields);
  const added = before === null ? [] : now.filter((name) => !before.includes(name));
  // What no run has read yet can't be missed: a line that uses it says so itself.
  const gone = known === undefined ? [] : (before ?? []).filter((name) => !now.includes(name));
  const used = namedSourceFields(document);
  const lost = gone.find((name) => used.includes(name));
  if (
    lost !== undefined &&
    (plan.absent === undefined || (isRenamed(plan.absent.records, lost, added) && known!.asked !== id))
  ) {
    const near = nearest(lost, added);
    // Where nothing says what fields there are, a person may know that this time no record has it.
    await ask(db, mapping, dataset, id);
    throw new Error(
      `${usersOf(document, lost)} ${quoted(lost)}, which ${plan.absent === undefined ? `${dataset} does not have any more` : `no record of ${dataset} has any more`}; run ${known!.run} still read it. ${near === null ? '' : `Did you mean ${quoted(near)}? `}Nothing was written. Change ${document.name} and publish it, or mend the source${plan.absent === undefined ? '' : '; to go on without it this once, take the run up again'}.`,
    );
  }
  const retyped = retypedOf(known, plan);
  const strange = retyped.find((r) => !r.harmless && used.includes(r.name));
  if (strange !== undefined && known!.asked !== id) {
    await ask(db, mapping, dataset, id);
    throw new Error(
      `${usersOf(document, strange.name)} ${quoted(strange.name)}, which is ${strange.is} in ${dataset} now; run ${known!.run} read it as ${strange.was}. Nothing was written. Look whether ${document.name} still makes the right thing of it: to go on, take the run up again.`,
    );
  }
  // Of what says itself what it has, that counts; of the rest, whatever it ever had. While a field that is used is missing,
  // what came instead stays new: the next run asks as this one did.
  const missing = lost !== undefined && before !== null ? before : null;
  const fields = missing ?? (plan.absent === undefined || before === null ? now : [...before, ...added]);
  await db.transaction([
    {
      sql: `INSERT INTO source_structure (mapping, dataset, fields, first, run, types) VALUES ($1, $2, $3, $3, $4, $5)
            ON CONFLICT (mapping, dataset) DO UPDATE SET fields = EXCLUDED.fields, run = EXCLUDED.run, types = EXCLUDED.types`,
      params: [mapping, dataset, JSON.stringify(fields), id, JSON.stringify(plan.types ?? {})],
    },
    {
      sql: 'INSERT INTO source_news (mapping, dataset, field, run) SELECT $1, $2, field, $4 FROM unnest($3::text[]) AS field ON CONFLICT DO NOTHING',
      params: [mapping, dataset, added.filter((name) => !used.includes(name)), id],
    },
  ]);
  const names = (list: readonly string[]): string => list.map((name) => quoted(name)).join(', ');
  const log = [
    ...(added.length > 0 ? [`${dataset} has ${counted(added.length, 'new field')}: ${names(added)}`] : []),
    ...(gone.length > 0
      ? [
          plan.absent === undefined
            ? `${dataset} does not have ${names(gone)} any more; no line uses that`
            : `no record of ${dataset} has ${names(gone)} this time`,
        ]
      : []),
  ];
  for (const { name, was, is } of retyped) log.push(`${quoted(name)} of ${dataset} is ${is} now; it was ${was}`);
  return { log, identity: await firstFields(db, mapping, document) };
}
/** Those of a dataset of files; null where that was not there then. */
async function fieldsAtPublishing(
  db: Database,
  mapping: string,
  revision: number,
  dataset: string,
): Promise<readonly string[] | null> {
  const [row] = await db.query<{ fields: string[] | string }>(
    'SELECT fields FROM reading WHERE mapping = $1 AND revision = $2 AND dataset = $3',
    [mapping, revision, dataset],
  );
  return row === undefined ? null : fromJson(row.fields);
}
interface KnownSource {
  [key: string]: unknown;
  fields: string[] | string;
  types: Record<string, string> | string;
  run: number;
  asked: number | null;
}
/** Remembers that a run has asked a person: taken up again, it goes on. */
async function ask(db: Database, mapping: string, dataset: string, run: number): Promise<void> {
  await db.query('UPDATE source_structure SET asked = $3 WHERE mapping = $1 AND dataset = $2', [mapping, dataset, run]);
}
/** Fields that had another type before, where the source says types itself. */
function retypedOf(
  known: KnownSource | undefined,
  { types = {} }: SourcePlan,
): { name: string; was: string; is: string; harmless: boolean }[] {
  if (known === undefined) return [];
  return Object.entries(fromJson(known.types)).flatMap(([name, was]) => {
    const is = types[name];
    return is === undefined || is === was ? [] : [{ name, was, is, harmless: isWidened(was, is) }];
  });
}

async function firstFields(
  db: Database,
  mapping: string,
  { source }: MappingDocument,
): Promise<readonly string[] | null> {
  const [row] = await db.query<{ first: string[] | string }>(
    'SELECT first FROM source_structure WHERE mapping = $1 AND dataset = $2',
    [mapping, source.primary.dataset],
  );
  return row === undefined ? null : fromJson(row.first);
}

/** Who uses a field: the first line that does, or what else of the document. */
function usersOf({ lines, source, target }: MappingDocument, name: string): string {
  const { alias } = source.primary;
  const at = lines.findIndex((l) => fieldsOfLine(l).some((f) => f.name === name && (f.alias ?? alias) === alias));
  if (at < 0) return 'The source set uses';
  const field = target.fields.find((f) => f.name === lines[at]!.target);
  return `Line ${at + 1} ${field?.label ?? lines[at]!.target} uses`;
}
