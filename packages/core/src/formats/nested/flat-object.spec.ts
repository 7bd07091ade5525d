import * as fc from 'fast-check';
import { FlatObjects } from './flat-object.ts';
import { flatMembers } from '../json/json-tree.ts';

describe('flat JSON objects, read in one go', () => {
  const read = (json: string, names = ['a', 'b', 'c']): (string | null)[] | null => new FlatObjects(names).read(json);

  it.each([
    ['{"a":"x","b":1.50,"c":true}', ['x', '1.50', 'true']],
    ['{ "a" : null , "c" : -0 }', [null, null, '-0']],
    ['{\n  "b": 12345678901234567890,\n  "c": 1E5\n}', [null, '12345678901234567890', '1E5']],
    ['{"a":""}', ['', null, null]],
    ['{}', [null, null, null]],
  ])('%s', (json, expected) => expect(read(json)).toEqual(expected));

  it.each([
    '{"a":"x\\n"}',
    '{"b":1,"a":2}',
    '{"a":1,"a":2}',
    '{"a":[1]}',
    '{"a":{"x":1}}',
    '{"d":1}',
    '{"a":01}',
    '{"a":1,}',
    '{"a":1 "b":2}',
    '{"a":"x\ty"}',
    '{"a":1}x',
    '[]',
    '{"a":nul}',
  ])('leaves %s to the whole parser', (json) => expect(read(json)).toBeNull());

  it('agrees with the whole parser wherever it reads at all', () => {
    const scalar = fc.oneof(
      fc.string(),
      fc.constantFrom('a"b', '\\', '\u2028', '😀', '}', ',', '":'),
      fc.integer(),
      fc.double({ noNaN: true, noDefaultInfinity: true }),
      fc.boolean(),
      fc.constant(null),
    );
    const names = ['a', 'b.c', 'd"e', '', 'constructor', '$^'];
    fc.assert(
      fc.property(
        fc.uniqueArray(fc.constantFrom(...names)),
        fc.array(scalar, { minLength: 6 }),
        fc.nat(2),
        (keys, values, indent) => {
          const json = JSON.stringify(Object.fromEntries(keys.map((k, i) => [k, values[i]])), null, indent);
          const quick = read(json, names);
          const whole = flatMembers(json)!;
          if (quick) expect(quick).toEqual(names.map((n) => whole.get(n) ?? null));
        },
      ),
      { numRuns: 2000 },
    );
  });
  it('is given up where objects never fit, and tried again when a field is learned', () => {
    const objects = new FlatObjects(['a']);
    for (let i = 0; i < 60; i++) objects.read('{"z":1}');
    expect(objects.read('{"a":1}')).toBeNull();
    objects.learn('z');
    expect(objects.read('{"a":1,"z":2}')).toEqual(['1', '2']);
  });
});
