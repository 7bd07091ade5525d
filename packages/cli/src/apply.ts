import { existsSync, mkdtempSync, rmSync, statSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { parseArgs } from 'node:util';
import {
  addsUp,
  type CompiledMapping,
  compileMapping,
  type ComposedCounts,
  counted,
  Fault,
  type FeedFacts,
  type FileFormat,
  isComposed,
  Lead,
  type KeyMaps,
  type MappingDocument,
  mergeUnknown,
  noCounts,
  RecordFeed,
  sourceFieldsFor,
  sourceNamesOf,
  type TextOutput,
  timestampOfMillis,
  unknownWords,
  type UnknownValues,
  variablesAsked,
} from '@versicle/core';
import {
  comesInChunks,
  datasetChunks,
  datasetRecords,
  openRecordFile,
  readCodeTable,
  outputKind,
  TextFile,
  type RecordFile,
} from '@versicle/files';
import { composeRecords } from '@versicle/source-sets';
import { ApplyShareInThread, asWritten, failureLines, type Applied, type ApplyJob } from './apply-share.ts';
import { requireFile } from './files.ts';
import { loadMapping, problemText, sourceFiles, sourceNames, type SourceFile } from './mapping-file.ts';
import { readVariable } from './variables.ts';

/** `versicle apply`: runs a document over a file. Returns the exit code. */
export async function apply(argv: string[], print: (text: string) => void): Promise<number> {
  const { values } = parseArgs({
    args: argv,
    options: {
      mapping: { type: 'string' },
      source: { type: 'string', multiple: true },
      format: { type: 'string', multiple: true },
      out: { type: 'string' },
      failed: { type: 'string' },
      remarks: { type: 'string' },
      'code-table': { type: 'string', multiple: true },
      'key-map': { type: 'string', multiple: true },
      set: { type: 'string', multiple: true },
    },
  });
  if (!values.mapping) throw new Fault('input', 'Name the mapping: --mapping FILE');
  if (!values.out)
    throw new Fault('input', 'Name the file to write: --out FILE (.csv, .jsonl, .json, .xml, .xlsx or .txt)');
  const document = await withCodeTables(await loadMapping(values.mapping), values['code-table'] ?? []);
  const keyMaps = await keyMapsOf(values['key-map'] ?? []);
  const variables = Object.fromEntries((values.set ?? []).map(readVariable));
  requireSet(document, variables);
  const files = await sourceFiles(document, values.source ?? [], values.format ?? []);
  outputKind(values.out);
  for (const path of [values.out, values.failed, values.remarks])
    if (path)
      requireWritable(
        path,
        files.map((f) => f.path),
      );
  const { names, marks } = sourceNames(document, files);
  const mapping = compileMapping(document, sourceFieldsFor(document, names, marks));
  const errors = mapping.problems.filter((p) => p.severity === 'error');
  if (errors.length > 0)
    throw new Fault(
      'input',
      `${values.mapping} can't be applied to ${files.map((f) => f.name).join(', ')}:\n${errors.map((p) => `  ${problemText(p)}`).join('\n')}`,
    );
  const outputs = {
    out: await openRecordFile(values.out, mapping.columns),
    failed: values.failed ? new TextFile(values.failed) : null,
    remarks: values.remarks ? new TextFile(values.remarks) : null,
  };
  const startedAt = Date.now();
  const result = await withSource(document, files, { startedAt, variables }, async (source) => {
    const facts: FeedFacts = {
      startedAt: timestampOfMillis(startedAt),
      keyMaps,
      variables,
      ...(source.before ? { before: source.before } : {}),
    };
    if (!canBeShared(mapping, source, values.out!)) return run(mapping, source, outputs, facts);
    const job = {
      document,
      names: sourceNamesOf(mapping.sourceFields),
      marks,
      facts,
      format: source.format,
      output: outputKind(values.out!) as TextOutput,
      failed: outputs.failed !== null,
      remarks: outputs.remarks !== null,
    };
    return runShared(job, source, outputs);
  });
  for (const file of [outputs.out, outputs.failed, outputs.remarks]) await file?.close();
  const c = result.counts;
  if (result.composed) print(composedText(result.composed));
  print(
    result.composed
      ? `${c.read} records = ${c.filtered > 0 ? `${c.filtered} filtered + ` : ''}${c.skipped} skipped + ${c.failed} failed + ${c.written} written`
      : `${c.read} read = ${c.filtered} filtered + ${c.skipped} skipped + ${c.failed} failed + ${c.written} written`,
  );
  for (const remark of result.remarks) print(remark);
  for (const [path, of] of result.unknown) print(unknownWords(files[0]!.name, path, { ...of, file: null }));
  if (c.remarks > 0) print(`${counted(c.remarks, 'remark')}`);
  if (result.stopped) print(`stopped at row ${result.stopped}, as the document says; the rows after it were not read`);
  if (!addsUp(c)) throw new Error('The counts do not add up; this is a fault of the program.');
  return 0;
}

function requireSet(document: MappingDocument, variables: Readonly<Record<string, string>>): void {
  const asked = variablesAsked(document);
  const missing = asked.filter((name) => !Object.hasOwn(variables, name));
  if (missing.length > 0)
    throw new Fault(
      'input',
      `The rules ask for ${missing.map((n) => `:${n}`).join(', ')}; give a value: ${missing.map((n) => `--set ${n}=VALUE`).join(' ')}`,
    );
  const [strange] = Object.keys(variables).filter((name) => !asked.includes(name));
  if (strange !== undefined)
    throw new Fault(
      'input',
      `No rule asks for :${strange}.${asked.length > 0 ? ` They ask for ${asked.map((n) => `:${n}`).join(', ')}.` : ''}`,
    );
}

function requireWritable(path: string, sources: readonly string[]): void {
  if (sources.includes(path))
    throw new Fault('input', `${path} would be written over while it is read; choose another name.`);
  if (existsSync(path) && statSync(path).isDirectory())
    throw new Fault('input', `${path} is a folder; name a file to write.`);
  if (!existsSync(dirname(path))) throw new Fault('input', `There is no folder ${dirname(path)} to write into.`);
}

/** Where the records to map come from: a file as it is, or what was composed of several. */
interface Records {
  readonly path: string;
  readonly name: string;
  readonly format: FileFormat;
  readonly names: readonly string[] | null;
  /** Composed records: how many of the primary dataset come before each of its files. */
  readonly before?: ReadonlyMap<string, number>;
}
async function withSource<T extends object>(
  document: MappingDocument,
  files: readonly SourceFile[],
  { startedAt, variables }: { startedAt: number; variables: Readonly<Record<string, string>> },
  work: (records: Records) => Promise<T>,
): Promise<T & { composed: ComposedCounts | null; remarks: readonly string[] }> {
  const [first] = files as [SourceFile];
  if (!isComposed(document)) return { ...(await work({ ...first, names: null })), composed: null, remarks: [] };
  const home = mkdtempSync(join(tmpdir(), 'versicle-apply-'));
  try {
    const path = join(home, 'records.jsonl');
    const members = files.map((f) => ({ files: [f], format: f.format, names: f.fields }));
    const options = {
      rowLimit: null,
      startedAt: new Date(startedAt).toISOString(),
      variables,
      home: { kind: 'here', template: null } as const,
    };
    const { fields, counts, remarks, before } = await composeRecords(document, members, path, options);
    const names = sourceNamesOf(fields);
    const format = { kind: 'jsonl', encoding: 'utf-8' } as const;
    const done = await work({ path, name: first.name, format, names, before });
    return { ...done, composed: counts, remarks };
  } finally {
    rmSync(home, { recursive: true, force: true });
  }
}
function composedText({ read, multiplied, unmatched, filtered, folded, records }: ComposedCounts): string {
  return `${read} read + ${multiplied} multiplied = ${unmatched} unmatched + ${filtered} filtered + ${folded} folded + ${records} records`;
}

interface Outputs {
  readonly out: RecordFile;
  readonly failed: TextFile | null;
  readonly remarks: TextFile | null;
}

interface Done {
  readonly counts: ReturnType<typeof noCounts>;
  /** What the records that were read have and no field is for. */
  readonly unknown: UnknownValues;
  readonly stopped: number | null;
}
async function run(
  mapping: CompiledMapping,
  source: Records,
  { out, failed, remarks }: Outputs,
  facts: FeedFacts,
): Promise<Done> {
  const counts = noCounts();
  let unknown: UnknownValues = new Map();
  const feed = new RecordFeed(mapping, facts);
  for await (const batch of datasetRecords([source], source.format, feed.names)) {
    for (let i = 0; i < batch.rows.length; i++) {
      const at = { row: batch.firstInDataset + i, fileRow: batch.firstRow + i, file: source.name };
      const fed = feed.take(batch.rows[i]!, at);
      const { place } = fed;
      const outcome = asWritten(fed.outcome, out, mapping.document);
      counts.read++;
      counts[outcome.kind]++;
      if (outcome.kind === 'written') out.write(outcome.values);
      if (outcome.failures.length > 0) failed?.write(failureLines(place.row, outcome.failures));
      if (outcome.remarks.length > 0) {
        counts.remarks += outcome.remarks.length;
        remarks?.write(failureLines(place.row, outcome.remarks));
      }
      if (outcome.stop) return { counts, unknown, stopped: place.row };
    }
    unknown = mergeUnknown([unknown, batch.unknown]);
    await out.flush();
    await failed?.flush();
    await remarks?.flush();
  }
  return { counts, unknown, stopped: null };
}

/** Where the program of a thread lies, beside this one when it is bundled. */
const SHARE = new URL('./apply-share-worker.mjs', import.meta.url);
/** Threads that share in mapping: one, unless told, since each takes some 120 MB; and the size of a file that is worth their start. */
const THREADS = Number(process.env['VERSICLE_MAPPING_THREADS'] ?? 1);
const WORTH_SHARING = Number(process.env['VERSICLE_SHARED_BYTES'] ?? 32 * 1024 * 1024);
const CUT = { rows: 10_000, characters: 16 * 1024 * 1024 };

/** Several threads map, where the source and the target are files of lines and no record depends on those before it. */
function canBeShared({ document }: CompiledMapping, { path, format }: Records, out: string): boolean {
  const numbered = document.lines.some((l) => l.kind === 'generated' && (l.generate ?? 'uuid') === 'sequence');
  const lines = ['csv', 'jsonl', 'fixed'].includes(outputKind(out)) && comesInChunks(format);
  return THREADS > 1 && lines && !numbered && statSync(path).size >= WORTH_SHARING && existsSync(SHARE);
}
async function runShared(job: ApplyJob, source: Records, { out, failed, remarks }: Outputs): Promise<Done> {
  const counts = noCounts();
  let unknown: UnknownValues = new Map();
  let stopped: number | null = null;
  const shares = Array.from({ length: THREADS }, () => new ApplyShareInThread(SHARE, job));
  try {
    const lead = new Lead<Applied>(shares);
    const take = async (made: Applied): Promise<void> => {
      for (const name of Object.keys(counts) as (keyof typeof counts)[]) counts[name] += made.counts[name];
      unknown = mergeUnknown([unknown, made.unknown]);
      stopped = made.stopped;
      out.append!(made.out);
      failed?.out.bytesOf(made.failed);
      remarks?.out.bytesOf(made.remarks);
      for (const file of [out, failed, remarks]) await file?.flush();
    };
    let chunk = 0;
    const from = { files: [source], format: source.format, fields: job.names };
    for await (const blocks of datasetChunks(from, { cut: CUT, rowLimit: null, settled: 0 }, () => undefined)) {
      await lead.room();
      if (lead.stopped) break;
      lead.give(chunk++, blocks, take);
    }
    await lead.done();
  } finally {
    for (const share of shares) await share.close();
  }
  return { counts, unknown, stopped };
}

/** `--code-table name=file.csv` adds or replaces a code table. */
async function withCodeTables(document: MappingDocument, given: readonly string[]): Promise<MappingDocument> {
  const codeTables = { ...document.codeTables };
  for (const text of given) {
    const at = text.indexOf('=');
    if (at < 1) throw new Fault('input', `--code-table is written as NAME=FILE; “${text}” has no name.`);
    codeTables[text.slice(0, at)] = await codesOf(text.slice(at + 1));
  }
  return { ...document, codeTables };
}
async function codesOf(path: string): Promise<MappingDocument['codeTables'][string]> {
  requireFile(path);
  return readCodeTable(path, path);
}

/** `--key-map mapping=file.csv`: what mapped_key() finds, source key and target key in the first two columns. */
async function keyMapsOf(given: readonly string[]): Promise<KeyMaps> {
  const maps = new Map<string, ReadonlyMap<string, string>>();
  for (const text of given) {
    const at = text.indexOf('=');
    if (at < 1) throw new Fault('input', `--key-map is written as MAPPING=FILE; “${text}” has no name.`);
    maps.set(text.slice(0, at), new Map((await codesOf(text.slice(at + 1))).map((c) => [c.from, c.to])));
  }
  return maps;
}
