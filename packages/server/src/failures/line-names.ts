import type { MappingDocument } from '@versicle/core';
import type { Database } from '@versicle/postgres';

export interface LineName {
  /** The line's place in its document, counted from 1; null for checks and for the record as a whole. */
  readonly number: number | null;
  readonly label: string;
  /** What makes the value, or the condition of a check. */
  readonly rule: string | null;
}

/** What the lines and checks of revisions are called. Revisions never change, so each is read once. */
export class LineNames {
  private readonly known = new Map<string, Promise<MappingDocument>>();
  constructor(private readonly db: Database) {}

  /** The document of a revision, or of the newest one. */
  async document(mapping: string, revision: number): Promise<MappingDocument> {
    const key = `${mapping}@${revision}`;
    let found = this.known.get(key);
    if (!found) {
      if (this.known.size > 50) this.known.clear();
      found = this.db
        .query<{ document: string }>('SELECT document FROM revision WHERE mapping = $1 AND number = $2', [
          mapping,
          revision,
        ])
        .then(([row]) => JSON.parse(row!.document) as MappingDocument);
      this.known.set(key, found);
    }
    return found;
  }

  nameOf(document: MappingDocument, line: string | null): LineName {
    if (line === null) return { number: null, label: 'the record as a whole', rule: null };
    const index = document.lines.findIndex((l) => l.id === line);
    const found = document.lines[index];
    if (found) {
      const field = document.target.fields.find((f) => f.name === found.target);
      const rule = found.kind === 'rule' ? found.rule : found.source;
      return { number: index + 1, label: field?.label ?? found.target, rule: rule ?? null };
    }
    const check = document.checks.find((c) => c.id === line);
    if (check) return { number: null, label: check.message, rule: check.rule };
    const skip = document.skips.find((s) => s.id === line);
    return {
      number: null,
      label: skip
        ? `${skip.at === 'mapped' ? 'skip of the finished record' : 'skip condition'} ${skip.id}`
        : 'the filter of the source set',
      rule: skip?.when ?? document.source.filter ?? null,
    };
  }
}
