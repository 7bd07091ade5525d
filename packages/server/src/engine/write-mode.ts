import { refused } from '@versicle/core';
import type { DeliveryMode, MappingDocument } from '@versicle/core';

/**
 * How a document's records get into a table. Throws a fault for what the bulk lane can't do yet, so that no mode is ever
 * quietly carried out as another.
 */
export function deliveryMode(document: MappingDocument, replay: boolean): DeliveryMode {
  const { mode, existing } = document.write;
  switch (mode) {
    case 'insert':
    case 'append':
      return 'insert';
    case 'skip existing':
      return 'keep';
    case 'upsert':
      if (existing === 'fill empty')
        throw refused('Existing records can be overwritten or kept for now; “fill empty” is not carried out yet.');
      return existing === 'keep' ? 'keep' : 'upsert';
    case 'replace':
      // A replay adds to what the last whole run brought.
      return !replay ? 'replace' : document.target.key.length > 0 ? 'upsert' : 'insert';
    default:
      throw refused(`The write mode ${mode} is not carried out yet; use insert, upsert, skip existing or replace.`);
  }
}
