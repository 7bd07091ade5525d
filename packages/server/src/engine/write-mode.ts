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
      return existing === 'keep' ? 'keep' : existing === 'fill empty' ? 'fill' : 'upsert';
    case 'update':
      return 'update';
    case 'replace':
      // A replay adds to what the last whole run brought.
      return !replay ? 'replace' : document.target.key.length > 0 ? 'upsert' : 'insert';
    default:
      throw refused(
        `The write mode ${mode} is not carried out yet; use insert, update, upsert, skip existing or replace.`,
      );
  }
}
