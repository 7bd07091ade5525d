import type { DeliveryMode, MappingDocument } from '@versicle/core';

/** How a document's records get into a table. */
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
    case 'new revision':
      return 'revise';
  }
}
