import { Unreadable } from '../formats/format.ts';
import type { JsonFormat } from '../formats/json/settings.ts';
import { readerFor } from '../formats/read.ts';
import { mergeUnknown } from '../formats/unknown.ts';
import { randomBelow } from '../testing/random-below.ts';
import { randomJsonSchema } from '../testing/random-json-schema.ts';
import { freshSeed } from '../testing/seed.ts';
import { withDescribed } from './described.ts';
import { structuresOfJsonSchema } from './json-schema.ts';

const BARE: JsonFormat = { kind: 'json', encoding: 'utf-8', records: '', structures: [{ path: '', fields: [] }], part: '', withDoc: false }; // prettier-ignore

it(`records that are valid by a random JSON Schema are read whole by its structures (VERSICLE_SEED=${freshSeed})`, () => {
  const below = randomBelow(freshSeed);
  for (let schemas = 0; schemas < 300; schemas++) {
    const { schema, make } = randomJsonSchema(below);
    let values = 0;
    const json = JSON.stringify(Array.from({ length: 1 + below(4) }, () => make(() => ++values)));
    const structures = structuresOfJsonSchema(schema, 'r');
    const { format } = withDescribed(BARE, structures, 'r');
    let read = 0;
    const wrong: string[] = [];
    for (const { path } of format.structures) {
      const reader = readerFor({ ...format, part: path }, null);
      const batches = [reader.push(new TextEncoder().encode(json)), reader.end()];
      const told = structures.find((s) => s.name === (path === '' ? 'r' : `r.${path}`))?.fields;
      const required = new Set(told?.filter((f) => !f.nullable).map((f) => f.name));
      wrong.push(...mergeUnknown(batches.map((b) => b.unknown)).keys());
      for (const row of batches.flatMap((b) => b.rows))
        if (row instanceof Unreadable) wrong.push(row.message);
        else
          for (const [i, name] of reader.names!.entries()) {
            if (name.startsWith('_')) continue;
            if (row[i] !== null) read++;
            else if (required.has(name)) wrong.push(`${name} is missing`);
          }
    }
    expect({ schema, json, wrong, read }).toEqual({ schema, json, wrong: [], read: values });
  }
});
