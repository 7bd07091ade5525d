import type * as z from 'zod';
import type {
  newCodeTable,
  Codes as CodeList,
  CodesRead,
  CodeTable,
  CodeTableSummary,
  MissingCode,
  TableUse,
  Translated,
  Translation,
} from '@versicle/contract';
import {
  changedMeanwhile,
  type Code,
  doubledCodes,
  type MappingDocument,
  notFound,
  parseDocument,
  quoted,
  refused,
} from '@versicle/core';
import { withUpload } from '../http/upload.ts';
import type { Mappings } from '../mappings/mappings.ts';
import type { Database } from '@versicle/postgres';
import { fromJson, isoTime } from '../store/values.ts';
import type { Systems } from '../systems/systems.ts';
import { tableUse } from './table-use.ts';

interface TableRow {
  [key: string]: unknown;
  name: string;
  description: string;
  codes: CodeList | string;
  otherwise: string | null;
  translation: Translation | string | null;
  version: number;
  updated_at: string;
  updated_by: string;
}
/** A mapping that uses code tables, and the numbers of the lines that use each of them. */
interface Draft {
  readonly id: string;
  readonly document: MappingDocument;
  readonly lines: ReadonlyMap<string, readonly number[]>;
}
type Missing = ReadonlyMap<string, readonly MissingCode[]>;

/** Code tables as documents of their own: mappings take them over, and what runs lack of them is filled in one place. */
export class Codes {
  constructor(
    private readonly db: Database,
    private readonly systems: Systems,
    private readonly mappings: Mappings,
  ) {}

  async list(): Promise<CodeTableSummary[]> {
    const rows = await this.db.query<TableRow>('SELECT * FROM code_table ORDER BY name');
    const drafts = await this.drafts();
    const missing = await this.missing();
    const kept = rows.map((row) => ({
      name: row.name,
      description: row.description,
      codes: fromJson(row.codes).length,
      kept: true,
      usedIn: usesOf(drafts, row.name, fromJson(row.codes)),
      missing: missing.get(row.name)?.length ?? 0,
      updatedAt: isoTime(row.updated_at),
      updatedBy: row.updated_by,
    }));
    const names = new Set(rows.map((r) => r.name));
    const others = [...new Set(drafts.flatMap((d) => Object.keys(d.document.codeTables)))].filter((n) => !names.has(n));
    const inMappings = others.map((name): CodeTableSummary => {
      const codes = drafts.map((d) => d.document.codeTables[name]).find((c) => c !== undefined)!;
      return {
        name,
        description: '',
        codes: codes.length,
        kept: false,
        usedIn: usesOf(drafts, name, codes),
        missing: missing.get(name)?.length ?? 0,
        updatedAt: null,
        updatedBy: null,
      };
    });
    return [...kept, ...inMappings].sort((a, b) => (a.name < b.name ? -1 : 1));
  }

  async get(name: string): Promise<CodeTable> {
    const row = await this.row(name);
    const drafts = await this.drafts(name);
    return {
      name,
      description: row.description,
      codes: fromJson(row.codes),
      otherwise: row.otherwise,
      translation: row.translation === null ? null : fromJson(row.translation),
      version: row.version,
      updatedAt: isoTime(row.updated_at),
      updatedBy: row.updated_by,
      usedIn: usesOf(drafts, name, fromJson(row.codes)),
      missing: [...((await this.missing()).get(name) ?? [])],
    };
  }

  async create(given: z.infer<typeof newCodeTable>, person: string): Promise<CodeTable> {
    const { name, description, fromMapping, otherwise } = given;
    const codes = fromMapping === null ? given.codes : await this.codesIn(fromMapping, name);
    requireSound(codes);
    const made = await this.db.query(
      'INSERT INTO code_table (name, description, codes, otherwise, updated_by) VALUES ($1, $2, $3, $4, $5) ON CONFLICT DO NOTHING RETURNING name',
      [name, description, JSON.stringify(codes), otherwise, person],
    );
    if (made.length === 0)
      throw changedMeanwhile(`There is a code table ${quoted(name)} already; open it, or choose another name.`);
    return this.get(name);
  }
  private async codesIn(mapping: string, name: string): Promise<CodeList> {
    const codes = (await this.mappings.draft(mapping)).document.codeTables[name];
    if (!codes) throw refused(`The mapping has no code table ${quoted(name)}.`);
    return codes;
  }

  async save(
    name: string,
    given: {
      description: string;
      codes: CodeList;
      otherwise: string | null;
      translation: Translation | null;
      version: number;
    },
    person: string,
  ): Promise<CodeTable> {
    requireSound(given.codes);
    await this.row(name);
    const { description, codes, otherwise, translation, version } = given;
    const saved = await this.db.query(
      'UPDATE code_table SET description = $2, codes = $3, otherwise = $4, translation = $5, updated_by = $6, updated_at = now(), version = version + 1 WHERE name = $1 AND version = $7 RETURNING name',
      [
        name,
        description,
        JSON.stringify(codes),
        otherwise,
        translation && JSON.stringify(translation),
        person,
        version,
      ],
    );
    if (saved.length === 0)
      throw changedMeanwhile(
        'This code table was changed on another page meanwhile. Load it again; your last edit has not been saved.',
      );
    return this.get(name);
  }
  async remove(name: string): Promise<void> {
    await this.row(name);
    await this.db.query('DELETE FROM code_table WHERE name = $1', [name]);
  }

  /** What a file says, beside the table. Codes that stand in it twice are named; the first of them counts. */
  async read(beside: string | null, fileName: string, content: string): Promise<CodesRead> {
    const there = beside === null ? [] : fromJson((await this.row(beside)).codes);
    const read = await withUpload(fileName, content, (path) =>
      this.systems.looks.ask(fileName, 'codeTable', [path, fileName]),
    );
    const twice = doubledCodes(read);
    const codes: Code[] = [];
    for (const code of read)
      if (doubledCodes([...codes.filter((c) => c.from === code.from), code]).length === 0) codes.push(code);
    const before = new Map(there.map((c) => [c.from, JSON.stringify(c)]));
    const now = new Set(codes.map((c) => c.from));
    return {
      codes,
      added: codes.filter((c) => !before.has(c.from)).length,
      changed: codes.filter((c) => before.has(c.from) && before.get(c.from) !== JSON.stringify(c)).length,
      gone: [...before.keys()].filter((from) => !now.has(from)).length,
      twice,
    };
  }

  /** The drafts of mappings take the table over; their own codes of that name are replaced. */
  async bringUp(name: string, mappings: readonly string[], person: string): Promise<CodeTable> {
    const row = await this.row(name);
    for (const id of mappings) {
      const { document, version } = await this.mappings.draft(id);
      const { [name]: _, ...defaults } = document.codeDefaults ?? {};
      const codeDefaults = row.otherwise === null ? defaults : { ...defaults, [name]: row.otherwise };
      const { codeDefaults: __, ...rest } = document;
      const next: MappingDocument = {
        ...rest,
        codeTables: { ...document.codeTables, [name]: fromJson(row.codes) },
        ...(Object.keys(codeDefaults).length > 0 ? { codeDefaults } : {}),
      };
      await this.mappings.save(id, { document: next, version }, person);
    }
    return this.get(name);
  }

  /** Asks the outside service; what it answered before is taken from there. */
  async translate(name: string, codes: readonly string[]): Promise<Translated> {
    const row = await this.row(name);
    const translation = row.translation === null ? null : fromJson(row.translation);
    if (!translation)
      throw refused(`No outside service is set down for ${quoted(name)}; say which one translates its codes.`);
    const { system } = await this.systems.openById(translation.system);
    if (!system.ask) throw refused(`${quoted(translation.system)} is no HTTP API that could be asked.`);
    const known = new Map(
      (
        await this.db.query<{ code: string; answer: string | null; problem: string | null }>(
          'SELECT code, answer, problem FROM code_translation WHERE code_table = $1 AND code = ANY($2)',
          [name, [...codes]],
        )
      ).map((r) => [r.code, r]),
    );
    const answers: Translated = [];
    for (const from of codes) {
      const before = known.get(from);
      if (before?.answer != null) {
        answers.push({ from, to: before.answer, problem: null, cached: true });
        continue;
      }
      let to: string | null = null;
      let problem: string | null = null;
      try {
        const path = translation.path.replaceAll('{code}', encodeURIComponent(from));
        to = memberOf(await system.ask(path), translation.to);
        if (to === null) problem = `Its answer has no “${translation.to}”.`;
      } catch (error) {
        problem = (error as Error).message;
      }
      // What it does not know today it may know tomorrow: only answers are kept for good.
      await this.db.query(
        `INSERT INTO code_translation (code_table, code, answer, problem) VALUES ($1, $2, $3, $4)
         ON CONFLICT (code_table, code) DO UPDATE SET answer = EXCLUDED.answer, problem = EXCLUDED.problem, at = now()`,
        [name, from, to, problem],
      );
      answers.push({ from, to, problem, cached: false });
    }
    return answers;
  }

  private async row(name: string): Promise<TableRow> {
    const [row] = await this.db.query<TableRow>('SELECT * FROM code_table WHERE name = $1', [name]);
    if (!row) throw notFound(`There is no code table ${quoted(name)}.`);
    return row;
  }
  /** The mappings that use code tables, or this one. */
  private async drafts(table: string | null = null): Promise<Draft[]> {
    const rows = await this.db.query<{ id: string; draft: string; name: string; numbers: number[] }>(
      `SELECT m.id, m.draft, u.name, array_remove(array_agg(u.number ORDER BY u.number), NULL) AS numbers
         FROM mapping m JOIN mapping_use u ON u.mapping = m.id
        WHERE u.thing = 'code table' AND ($1::text IS NULL OR u.name = $1)
        GROUP BY m.id, u.name ORDER BY m.created_at, m.id, u.name`,
      [table],
    );
    const found = new Map<string, { document: MappingDocument; lines: Map<string, number[]> }>();
    for (const { id, draft, name, numbers } of rows) {
      const one = found.get(id) ?? { document: parseDocument(JSON.parse(draft)), lines: new Map() };
      one.lines.set(name, numbers);
      found.set(id, one);
    }
    return [...found].map(([id, draft]) => ({ id, ...draft }));
  }

  /** Codes that records failed on or went on without, by table, the most frequent first. */
  private async missing(): Promise<Missing> {
    const rows = await this.db.query<{
      table: string;
      code: string;
      mapping: string;
      name: string;
      line: string | null;
      state: string;
      n: string;
    }>(
      `SELECT f -> 'code' ->> 'table' AS table, f -> 'code' ->> 'from' AS code, r.mapping, m.name, f ->> 'line' AS line, r.state, count(*) AS n
         FROM failed_record r JOIN mapping m ON m.id = r.mapping, jsonb_array_elements(r.failures) f
        WHERE r.state IN ('open', 'remark') AND f ? 'code' GROUP BY 1, 2, 3, 4, 5, 6 ORDER BY 7 DESC`,
    );
    const found = new Map<string, MissingCode[]>();
    for (const { table, code, mapping, name, line, state, n } of rows) {
      const list = found.get(table) ?? [];
      found.set(table, list);
      let entry = list.find((m) => m.from === code);
      if (!entry) list.push((entry = { from: code, failed: 0, remarks: 0, mappings: [] }));
      if (state === 'open') entry.failed += Number(n);
      else entry.remarks += Number(n);
      if (!entry.mappings.some((m) => m.mapping === mapping))
        entry.mappings.push({
          mapping,
          name,
          cause: 'code_not_found',
          line: line ?? '',
        });
    }
    return found;
  }
}

function usesOf(drafts: readonly Draft[], name: string, codes: CodeList): TableUse[] {
  return drafts.flatMap(({ id, document, lines }) => {
    const numbers = lines.get(name);
    return numbers ? [tableUse(id, document, name, codes, numbers)] : [];
  });
}
function requireSound(codes: CodeList): void {
  const twice = doubledCodes(codes);
  if (twice.length > 0)
    throw refused(
      `${twice
        .slice(0, 5)
        .map((c) => quoted(c))
        .join(
          ', ',
        )} ${twice.length === 1 ? 'stands' : 'stand'} in the table twice for the same time; keep one of each.`,
      twice.map((from) => ({ path: from, message: 'stands twice' })),
    );
}
function memberOf(answer: unknown, path: string): string | null {
  let value = answer;
  for (const name of path.split('.')) value = (value as Record<string, unknown> | null | undefined)?.[name];
  return typeof value === 'string' || typeof value === 'number' ? String(value) : null;
}
