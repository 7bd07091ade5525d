import { isPath, mergeUnknown, namedSourceFields, unknownWords, type MappingDocument } from '@versicle/core';
import type { Statement } from '@versicle/postgres';
import { logged, type RunRow, type UnreadValues } from '../runs/runs.ts';
import { fromJson } from '../store/values.ts';
import type { MappedChunk } from './messages.ts';

/**
 * What the records of a run have and the structure of their source does not know, so that nothing is made of it. Counted chunk
 * by chunk, in the transaction that settles it: what is told at the end is of all records, whatever happened on the way.
 */
export class Unread {
  private found: MappedChunk['unread'];

  constructor(private readonly row: RunRow) {
    this.found = new Map(Object.entries(row.unread === null ? {} : fromJson<Record<string, UnreadValues>>(row.unread)));
  }

  get isEmpty(): boolean {
    return this.found.size === 0;
  }
  /** What is met once more whenever the run is taken on, and so need not be kept. */
  add(unread: MappedChunk['unread']): void {
    this.found = mergeUnknown([this.found, unread]);
  }
  /** Keeps what another chunk has. */
  keep(unread: MappedChunk['unread']): Statement[] {
    if (unread.size === 0) return [];
    this.add(unread);
    const all = JSON.stringify(Object.fromEntries(this.found));
    return [{ sql: 'UPDATE run SET unread = $2 WHERE id = $1', params: [this.row.id, all] }];
  }
  /** Says it, once: in the log, a sentence for each path, and Today of fields that no line uses yet. */
  told(document: MappingDocument): Statement[] {
    if (this.found.size === 0) return [];
    const { dataset } = document.source.primary;
    const used = namedSourceFields(document);
    const fields = [...this.found.keys()].filter((path) => isPath(path) && !used.includes(path));
    const { id, mapping } = this.row;
    return [
      ...[...this.found].map(([path, of]) => logged(id, unknownWords(dataset, path, of), 'warning')),
      {
        sql: 'INSERT INTO source_news (mapping, dataset, field, run) SELECT $1, $2, field, $4 FROM unnest($3::text[]) AS field ON CONFLICT DO NOTHING',
        params: [mapping, dataset, fields, id],
      },
      { sql: 'UPDATE run SET unread = NULL WHERE id = $1', params: [id] },
    ];
  }
}
