import * as fc from 'fast-check';
import { datasetName, splitTable, tableName } from './names.ts';

describe('names of tables', () => {
  it('lead back to the very table, whatever it is called', () => {
    const name = fc.string({ minLength: 1, maxLength: 12 }).filter((n) => !n.includes('\0'));
    fc.assert(
      fc.property(name, name, (schema, table) => {
        expect(splitTable(datasetName(schema, table))).toEqual({ schema, name: table });
      }),
      { numRuns: 2000 },
    );
  });
  it('are those of public without a schema', () => {
    expect(tableName('trip')).toBe('"public"."trip"');
    expect(tableName('ledger.posting')).toBe('"ledger"."posting"');
    expect(tableName('"a.b"')).toBe('"public"."a.b"');
  });
});
