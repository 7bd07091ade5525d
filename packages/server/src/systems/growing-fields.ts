import { type RawRow, Unreadable } from '@versicle/core';

/** The fields of records that come in batches, of which later ones may know more; those come after the ones that are known. */
export class GrowingFields {
  names: readonly string[] = [];
  private readonly known = new Set<string>();
  private last: readonly string[] | null = null;
  /** Where each field stands in the batch at hand; null: where it stands here. */
  private places: readonly number[] | null = null;

  /** The fields of the batch that comes next. Gives whether some are new. */
  next(fields: readonly string[]): boolean {
    // Most batches have the fields of the one before, thousands of them perhaps.
    if (fields === this.last) return false;
    this.last = fields;
    const added = fields.filter((field) => !this.known.has(field));
    for (const field of added) this.known.add(field);
    if (added.length > 0) this.names = [...this.names, ...added];
    const at = new Map(fields.map((field, i) => [field, i]));
    const places = this.names.map((name) => at.get(name) ?? -1);
    this.places = places.every((place, i) => place === i) ? null : places;
    return added.length > 0;
  }
  /** A record of the batch, with a value for each field that is known so far. */
  row(raw: RawRow): RawRow {
    if (this.places === null || raw instanceof Unreadable) return raw;
    return this.places.map((place) => (place < 0 ? null : (raw[place] ?? null)));
  }
}
