import {
  synonyms as synonymsSchema,
  type Difference,
  type LineOfAll,
  type MappingDetail,
  type MappingSample,
  type MappingSummary,
  type Revision,
  type TargetFit,
  type SaveDraft,
  type SavedDraft,
  type Synonyms,
  type Today,
} from '@versicle/contract';
import {
  canonicalText,
  cellText,
  changedMeanwhile,
  compileMapping,
  counted,
  type DeclaredMarks,
  documentDifference,
  exampleProblems,
  Fault,
  type FileFormat,
  isComposed,
  isFault,
  lineDifferences,
  type MappingDocument,
  marksOf,
  membersOf,
  notFound,
  parseDocument,
  quoted,
  refused,
  sourceFieldsFor,
  type SuggestFrom,
  type Suggestion,
  suggestLines,
  timestampOfMillis,
  withAllLines,
} from '@versicle/core';
import { LineHistoryStore } from './line-history.ts';
import { keepUses, usesJson, usesOfSaved } from './uses.ts';
import type { Failures } from '../failures/failures.ts';
import { slug } from '../http/slug.ts';
import type { Database } from '@versicle/postgres';
import { isoTime } from '../store/values.ts';
import type { Structures } from '../structures/structures.ts';
import type { KeyMaps } from '../key-maps/key-maps.ts';
import type { SourceSets } from '../source-sets/source-sets.ts';
import type { Readings } from '../sources/readings.ts';
import type { Systems } from '../systems/systems.ts';
import { variablesByPlans } from './plan-variables.ts';
import { aheadOf, fitOf } from './target-outlook.ts';

interface MappingRow {
  [key: string]: unknown;
  id: string;
  draft: string;
  version: number;
  updated_at: string;
  published: string | null;
  number: number | null;
  published_at: string | null;
  published_by: string | null;
  plan: string | null;
}

const SELECT = `SELECT m.id, m.draft, m.version, m.updated_at, v.document AS published, v.number, v.published_at, v.published_by,
    (SELECT p.id FROM plan p JOIN plan_use u ON u.plan = p.id AND u.thing = 'mapping' AND u.name = m.id ORDER BY p.created_at, p.id LIMIT 1) AS plan
  FROM mapping m LEFT JOIN LATERAL (SELECT * FROM revision WHERE revision.mapping = m.id ORDER BY number DESC LIMIT 1) v ON true`;

/** Records that suggestions look at. */
const SUGGEST_ROWS = 200;
/** Records of the target whose values are compared. */
const TARGET_ROWS = 2000;

/** Mapping documents: drafts that are edited, revisions that are not. */
export class Mappings {
  readonly history: LineHistoryStore;

  constructor(
    private readonly db: Database,
    private readonly systems: Systems,
    private readonly failures: Failures,
    private readonly structures: Structures,
    private readonly sourceSets: SourceSets,
    private readonly keyMaps: KeyMaps,
    private readonly readings: Readings,
  ) {
    this.history = new LineHistoryStore(db);
  }

  async list(): Promise<MappingSummary[]> {
    const rows = await this.db.query<MappingRow>(`${SELECT} ORDER BY m.created_at, m.id`);
    const open = new Map(
      (
        await this.db.query<{ mapping: string; n: string }>(
          "SELECT mapping, count(*) AS n FROM failed_record WHERE state = 'open' GROUP BY 1",
        )
      ).map((r) => [r.mapping, Number(r.n)]),
    );
    return rows.map((row) => {
      const document = parseDocument(JSON.parse(row.draft));
      const states: Record<string, number> = {};
      for (const line of document.lines) states[line.state] = (states[line.state] ?? 0) + 1;
      return {
        id: row.id,
        name: document.name,
        source: document.source.primary.dataset,
        further: membersOf(document)
          .slice(1)
          .map((m) => m.dataset),
        target: document.target.dataset,
        lines: document.lines.length,
        states,
        revision: row.number,
        changed: changedLines(row, document).length,
        openFailures: open.get(row.id) ?? 0,
        updatedAt: isoTime(row.updated_at),
      };
    });
  }

  /** The lines of all drafts, target by target, in the order of the target's fields. */
  async lines(): Promise<LineOfAll[]> {
    const rows = await this.db.query<{ id: string; draft: string }>(
      'SELECT id, draft FROM mapping ORDER BY created_at, id',
    );
    const all: LineOfAll[] = [];
    const states = await this.history.states();
    for (const { id, draft } of rows) {
      const document = withAllLines(parseDocument(JSON.parse(draft)));
      const fields = new Map(document.target.fields.map((f) => [f.name, f]));
      const failing = new Map((await this.failures.byLine(id)).map((f) => [f.line, f.open]));
      for (const [i, line] of document.lines.entries()) {
        const field = fields.get(line.target);
        const open = document.questions.filter((q) => q.line === line.id && q.answer === undefined);
        all.push({
          mapping: id,
          name: document.name,
          target: document.target.dataset,
          field: line.target,
          label: field?.label ?? line.target,
          type: field?.type ?? '',
          required: field !== undefined && (field.required || !field.nullable),
          key: document.target.key.includes(line.target),
          line: line.id,
          number: i + 1,
          source: cellText(field, line, 'source'),
          how: cellText(field, line, 'how'),
          state: line.state,
          stateBy: states.get(`${id} ${line.id}`)?.by ?? null,
          stateAt: states.get(`${id} ${line.id}`)?.at ?? null,
          questions: open.length,
          waitsFor: [...new Set(open.flatMap((q) => q.to ?? []))],
          failures: failing.get(line.id) ?? 0,
        });
      }
    }
    return all.sort((a, b) => (a.target < b.target ? -1 : a.target > b.target ? 1 : 0));
  }

  /** Questions without an answer, on lines that wait for one. */
  async openQuestions(): Promise<Today['questions']> {
    const rows = await this.db.query<{ id: string; draft: string }>(
      'SELECT id, draft FROM mapping ORDER BY created_at, id',
    );
    return rows.flatMap(({ id, draft }) => {
      const document = parseDocument(JSON.parse(draft));
      return document.lines.flatMap((line, i) => {
        if (line.state !== 'question') return [];
        const asked = document.questions.find((q) => q.line === line.id && q.answer === undefined);
        const field = document.target.fields.find((f) => f.name === line.target);
        return {
          mapping: id,
          name: document.name,
          line: line.id,
          number: i + 1,
          label: field?.label ?? line.target,
          text: asked?.text ?? line.note ?? 'no question is written down yet',
          to: asked?.to ?? null,
          by: asked?.by ?? null,
          askedAt: asked?.askedAt ?? null,
        };
      });
    });
  }

  private async row(id: string): Promise<MappingRow> {
    const [row] = await this.db.query<MappingRow>(`${SELECT} WHERE m.id = $1`, [id]);
    if (!row) throw notFound(`There is no mapping ${quoted(id)}.`);
    return row;
  }

  async get(id: string): Promise<MappingDetail> {
    const row = await this.row(id);
    const document = parseDocument(JSON.parse(row.draft));
    return {
      id,
      document,
      version: row.version,
      revision: row.number,
      publishedAt: row.published_at === null ? null : isoTime(row.published_at),
      publishedBy: row.published_by,
      changedLines: changedLines(row, document),
      failures: await this.failures.byLine(id),
      openFailures: await this.failures.open(id),
      plan: row.plan,
      updatedAt: isoTime(row.updated_at),
    };
  }

  async create(document: MappingDocument): Promise<MappingDetail> {
    const id = await slug(this.db, 'mapping', document.name);
    await this.db.transaction([
      {
        sql: 'INSERT INTO mapping (id, draft, name) VALUES ($1, $2, $3)',
        params: [id, canonicalText(document), document.name],
      },
      keepUses(id, document),
    ]);
    return this.get(id);
  }

  /** A save names the version it started from, so that two pages can't overwrite one another unseen. */
  async save(id: string, { document, version, save }: SaveDraft, person: string): Promise<SavedDraft> {
    const before = (await this.row(id)).draft;
    const [saved] = await this.db.query<{ version: number; updated_at: string }>(
      `WITH saved AS (
         UPDATE mapping SET draft = $2, name = $6, version = version + 1, uses_of = version + 1, updated_at = now() WHERE id = $1 AND version = $3
         RETURNING id, version, updated_at),
       kept AS (INSERT INTO draft_save (save, mapping) SELECT $4::uuid, id FROM saved WHERE $4::uuid IS NOT NULL ON CONFLICT DO NOTHING),${usesOfSaved(5)}
       SELECT version, updated_at FROM saved`,
      [id, canonicalText(document), version, save ?? null, usesJson(document), document.name],
    );
    const row = await this.row(id);
    if (!saved)
      throw changedMeanwhile(
        'This mapping was changed on another page meanwhile. Load it again; your last edit has not been saved.',
      );
    await this.history.keep(id, parseDocument(JSON.parse(before)), document, person);
    return { version: saved.version, changedLines: changedLines(row, document), updatedAt: isoTime(saved.updated_at) };
  }

  /** Whether the draft was saved under this name. */
  async arrived(id: string, save: string): Promise<boolean> {
    await this.row(id);
    const found = await this.db.query('SELECT 1 FROM draft_save WHERE mapping = $1 AND save = $2', [id, save]);
    return found.length > 0;
  }

  /** From names, labels, values and other mappings; nothing is changed by it. */
  async suggestions(id: string): Promise<Suggestion[]> {
    // A field without a line gets one on the sheet; its id is the same here.
    const document = withAllLines(parseDocument(JSON.parse((await this.row(id)).draft)));
    const others = (
      await this.db.query<{ draft: string }>('SELECT draft FROM mapping WHERE id <> $1 ORDER BY updated_at DESC', [id])
    ).map(({ draft }) => parseDocument(JSON.parse(draft)));
    const { id: system, dataset } = await this.systems.openDataset(document.source.primary.dataset);
    const detail = await this.structures.describe(system, dataset);
    const rows = await this.systems.rows(system, dataset, { filter: null, sort: null, limit: SUGGEST_ROWS });
    const fields = rows.fields.map((field) => detail.fields.find((f) => f.name === field) ?? { name: field });
    const marks = detail.setting?.kind === 'format' ? marksOf(detail.setting.format as FileFormat) : null;
    return suggestLines(document, {
      fields,
      rows: rows.rows.filter((r) => r.problem === null).map((r) => r.values),
      marks,
      declared: detail.settled && marks !== null,
      others,
      synonyms: (await this.synonyms()).groups,
      target: await this.targetRows(document),
    });
  }
  /** Some records of the target; null where it is not there yet, or can't be read. */
  private async targetRows(document: MappingDocument): Promise<SuggestFrom['target']> {
    try {
      const { id, dataset } = await this.systems.openDataset(document.target.dataset);
      const { fields, rows } = await this.systems.rows(id, dataset, { filter: null, sort: null, limit: TARGET_ROWS });
      return { fields, rows: rows.filter((r) => r.problem === null).map((r) => r.values) };
    } catch {
      // A table that the first run makes has no values to compare with; that is no fault of the suggestions.
      return null;
    }
  }

  async synonyms(): Promise<Synonyms> {
    const [row] = await this.db.query<{ value: string }>("SELECT value FROM house WHERE name = 'synonyms'");
    return row ? synonymsSchema.parse(JSON.parse(row.value)) : { groups: [] };
  }
  async setSynonyms(synonyms: Synonyms): Promise<Synonyms> {
    const groups = synonyms.groups.map((words) => words.map((w) => w.toLowerCase()));
    await this.db.query(
      "INSERT INTO house (name, value) VALUES ('synonyms', $1) ON CONFLICT (name) DO UPDATE SET value = EXCLUDED.value",
      [JSON.stringify({ groups })],
    );
    return { groups };
  }

  /** Freezes the draft as the next revision. Refuses a draft with errors, and one that says what is published already. */
  async publish(id: string, note: string, person: string): Promise<Revision> {
    const row = await this.row(id);
    const document = parseDocument(JSON.parse(row.draft));
    if (row.published === row.draft)
      throw refused(`The draft is the same as revision ${row.number}; there is nothing to publish.`);
    await this.requireSound(id, document);
    await this.requireFit(document);
    const [, [made]] = (await this.db.transaction([
      // Of two who publish at the same time the second sees what the first has published.
      { sql: 'SELECT 1 FROM mapping WHERE id = $1 FOR UPDATE', params: [id] },
      {
        sql: `INSERT INTO revision (mapping, number, document, note, published_by)
              SELECT id, COALESCE(r.number, 0) + 1, draft, $2, $3 FROM mapping
                LEFT JOIN LATERAL (SELECT number, document FROM revision WHERE mapping = $1 ORDER BY number DESC LIMIT 1) AS r ON true
               WHERE id = $1 AND version = $4 AND r.document IS DISTINCT FROM draft RETURNING number, published_at`,
        params: [id, note, person, row.version],
      },
    ])) as [unknown, { number: number; published_at: string }[]];
    if (!made)
      throw changedMeanwhile('The draft was changed while it was being published. Look at it again, then publish.');
    // It is published all the same: the first run that reads it keeps how.
    await this.readings.keepAll(id, made.number, document).catch(() => undefined);
    return { number: made.number, note, publishedAt: isoTime(made.published_at), publishedBy: person };
  }

  /** What the target itself has against the document. A target that does not answer now is asked again by the run. */
  private async requireFit(document: MappingDocument): Promise<void> {
    try {
      const { system, dataset } = await this.systems.openDataset(document.target.dataset);
      await system.target?.check?.(document, dataset);
    } catch (error) {
      if (isFault(error)) throw error;
    }
  }

  /** What the target has, against what is written into it, and what is known of the source against the lines. */
  async targetOutlook(id: string, of: 'draft' | 'revision'): Promise<TargetFit> {
    const { number } = await this.row(id);
    const document =
      of === 'revision' && number !== null ? await this.revision(id, number) : (await this.draft(id)).document;
    const ahead = await aheadOf(this.db, this.systems, document, async () => ({
      ...(await this.sourceOf(document)),
      keyMaps: await this.keyMaps.of(document),
      variables: await this.variables(id),
    }));
    return { ...(await fitOf(this.systems, document)), ...ahead };
  }
  /** Gives the target's table the fields that the draft loads and it lacks. */
  async addTargetFields(id: string): Promise<string[]> {
    const { document } = await this.draft(id);
    const { system, dataset } = await this.systems.openDataset(document.target.dataset);
    if (!system.target?.addFields)
      throw refused(`Fields of ${document.target.dataset} can’t be added from here; add them in the system itself.`);
    return system.target.addFields(document, dataset);
  }

  /** The fields of a document's source now, and how its formats declare numbers and dates to be written. */
  private async sourceOf(document: MappingDocument): Promise<{ names: readonly string[]; marks: DeclaredMarks }> {
    if (isComposed(document)) return this.sourceSets.names(document);
    const { id, dataset } = await this.systems.openDataset(document.source.primary.dataset);
    const { fields, setting, settled } = await this.structures.describe(id, dataset);
    const marks = settled && setting?.kind === 'format' ? marksOf(setting.format as FileFormat) : null;
    return { names: fields.map((f) => f.name), marks };
  }

  /** What plans give to its rules now, for what is tried without a plan. */
  variables(id: string): Promise<Record<string, string>> {
    return variablesByPlans(this.db, id);
  }

  /** Sample records of the draft's source, composed where it is a set of several datasets. */
  async sample(id: string): Promise<MappingSample> {
    const { document } = await this.draft(id);
    const given = { keyMaps: await this.keyMaps.sample(document), variables: await this.variables(id) };
    if (isComposed(document)) {
      await this.requireSourceSet(document);
      return { ...(await this.sourceSets.sample(document, given.variables)), ...given };
    }
    const { id: system, dataset } = await this.systems.openDataset(document.source.primary.dataset);
    const { fields, rows, reading } = await this.systems.rows(system, dataset, {
      filter: null,
      sort: null,
      limit: 200,
    });
    return { fields, rows, declared: reading?.declared ?? null, declaredBy: {}, ...given, composed: null };
  }

  /** The draft, with its version. */
  async draft(id: string): Promise<{ document: MappingDocument; version: number }> {
    const { draft, version } = await this.row(id);
    return { document: parseDocument(JSON.parse(draft)), version };
  }

  /** Refuses a source set with errors, whatever its lines are like. */
  async requireSourceSet(document: MappingDocument): Promise<void> {
    const { names, marks } = await this.sourceOf(document);
    const { problems } = compileMapping(document, sourceFieldsFor(document, names, marks));
    const [error] = problems.filter((p) => p.severity === 'error' && p.path.startsWith('source.'));
    if (error) throw refused(error.message, [{ path: error.path, message: error.message }]);
  }

  /** Refuses a document whose lines, or with `examples` (and what plans give to rules) whose examples, have errors. */
  async requireNoErrors(document: MappingDocument, examples: Readonly<Record<string, string>> | null): Promise<void> {
    const { names, marks } = await this.sourceOf(document);
    const keyMaps = await this.keyMaps.of(document);
    const errors = [
      ...compileMapping(document, sourceFieldsFor(document, names, marks)).problems,
      ...(examples
        ? exampleProblems({
            document,
            fields: names,
            marks,
            now: timestampOfMillis(Date.now()),
            keyMaps,
            variables: examples,
          })
        : []),
    ].filter((p) => p.severity === 'error');
    if (errors.length === 0) return;
    throw new Fault(
      'refused',
      `The document has ${counted(errors.length, 'error')}; mend ${errors.length === 1 ? 'it' : 'them'} first. ${errors[0]!.message}`,
      errors.map((e) => ({ path: e.line ? `line ${e.line}, ${e.path}` : e.path, message: e.message })),
    );
  }

  private async requireSound(id: string, document: MappingDocument): Promise<void> {
    const target = await this.systems.openDataset(document.target.dataset);
    if (!target.system.target)
      throw refused(
        `Versicle can't write to ${document.target.dataset} yet; choose a dataset of a database, an API that takes records, or a file.`,
      );
    await this.requireNoErrors(document, await this.variables(id));
  }

  async revisions(id: string): Promise<Revision[]> {
    await this.row(id);
    const rows = await this.db.query<{ number: number; note: string; published_at: string; published_by: string }>(
      'SELECT number, note, published_at, published_by FROM revision WHERE mapping = $1 ORDER BY number DESC',
      [id],
    );
    return rows.map((r) => ({
      number: r.number,
      note: r.note,
      publishedAt: isoTime(r.published_at),
      publishedBy: r.published_by,
    }));
  }

  async revision(id: string, number: number): Promise<MappingDocument> {
    const [row] = await this.db.query<{ document: string }>(
      'SELECT document FROM revision WHERE mapping = $1 AND number = $2',
      [id, number],
    );
    if (!row) throw notFound(`There is no revision ${number} of ${quoted(id)}.`);
    return parseDocument(JSON.parse(row.document));
  }

  /** The draft says what a revision said; what the draft said until now is not lost to those who have it open: their save is refused. */
  async restore(id: string, number: number, person: string): Promise<MappingDetail> {
    const [before, after] = [(await this.draft(id)).document, await this.revision(id, number)];
    await this.db.transaction([
      {
        sql: `UPDATE mapping SET version = version + 1, updated_at = now(),
                draft = (SELECT document FROM revision WHERE mapping = $1 AND number = $2) WHERE id = $1`,
        params: [id, number],
      },
      keepUses(id, after),
    ]);
    await this.history.keep(id, before, after, person);
    return this.get(id);
  }

  async difference(id: string, from: string, to: string): Promise<Difference> {
    const state = async (name: string): Promise<MappingDocument> => {
      if (name === 'draft') return (await this.get(id)).document;
      if (!/^\d{1,9}$/.test(name))
        throw refused(`${quoted(name)} names no state of the document; use a revision's number or “draft”.`);
      return this.revision(id, Number(name));
    };
    const { lines, other } = documentDifference(await state(from), await state(to));
    return { from, to, lines: lines.map((l) => ({ ...l, parts: [...l.parts] })), other: [...other] };
  }
}

function changedLines(row: MappingRow, draft: MappingDocument): string[] {
  if (row.published === null || row.published === row.draft) return [];
  return lineDifferences(parseDocument(JSON.parse(row.published)), draft).map((l) => l.line);
}
