import { endpoint, type Endpoint } from '@versicle/contract';
import * as fc from 'fast-check';
import { endpointOf, freshEndpoint, textOf } from './endpoint-text';

const word = fc.stringMatching(/^[a-z_]{1,8}$/);
const path = fc.stringMatching(/^\/[a-z]{1,8}(\/\{[a-z]{1,5}\})?$/);
const size = fc.integer({ min: 1, max: 100_000 });
const paging: fc.Arbitrary<unknown> = fc.oneof(
  fc.constant({ kind: 'none' }),
  fc.record({
    kind: fc.constant('page'),
    parameter: word,
    first: fc.constantFrom(0, 1),
    sizeParameter: fc.option(word),
    size,
  }),
  fc.record({ kind: fc.constant('offset'), parameter: word, sizeParameter: word, size }),
  fc.record({ kind: fc.constant('cursor'), parameter: word, next: word }),
  fc.record({ kind: fc.constant('link'), next: fc.option(word) }),
);
const endpoints: fc.Arbitrary<Endpoint> = fc
  .record({
    description: fc.string({ maxLength: 20 }),
    path,
    query: fc.array(fc.record({ name: word, value: fc.stringMatching(/^[a-z0-9{}=-]{0,8}$/) }), { maxLength: 3 }),
    body: fc.constantFrom('json', 'xml'),
    records: fc.option(word),
    paging,
    parent: fc.option(fc.record({ dataset: word, parallel: fc.integer({ min: 1, max: 20 }) })),
    find: fc.option(
      fc.record({
        field: word,
        path: fc.constantFrom('/a/{key}', '/a?no={keys}'),
        atOnce: fc.integer({ min: 1, max: 1000 }),
        records: fc.option(word),
      }),
    ),
    write: fc.option(
      fc.record({
        method: fc.constantFrom('POST', 'PUT', 'PATCH'),
        path,
        batch: fc.integer({ min: 1, max: 1000 }),
        member: fc.option(word),
        errors: word,
      }),
    ),
  })
  .map((e) => endpoint.parse(e.find ? { ...e, parent: null } : e));

describe('an endpoint as texts of a form', () => {
  it('is the same endpoint when nothing is changed, also in what the form does not show', () => {
    fc.assert(
      fc.property(endpoints, (before) => {
        expect(endpointOf(textOf(before), before)).toEqual({ kind: 'endpoint', endpoint: before });
      }),
    );
  });

  const form = (patch: Partial<ReturnType<typeof freshEndpoint>>): ReturnType<typeof endpointOf> =>
    endpointOf({ ...freshEndpoint(), path: '/members', ...patch });
  it('takes the least that describes one', () => {
    expect(form({})).toMatchObject({
      endpoint: { path: '/members', paging: { kind: 'none' }, find: null, write: null },
    });
  });
  it.each([
    ['nothing at all', { path: ' ' }, 'Path: something must stand here.'],
    ['pages without a parameter', { paging: 'page' as const }, 'Parameter of the page: something must stand here.'],
    [
      'a cursor that is named nowhere',
      { paging: 'cursor' as const, parameter: 'c' },
      'Where the next one is named: something must stand here.',
    ],
    [
      'a size that is no number',
      { paging: 'offset' as const, parameter: 'o', sizeParameter: 's', size: 'many' },
      /^Records in a page: /,
    ],
    ['a method that writes nothing', { writePath: 'GET /members' }, /^Written to: a path, with POST, PUT or PATCH/],
    ['too many records in a request', { writePath: '/members', batch: '5000' }, /^Records in a request: /],
    ['a field to find by, and no path', { findField: 'no' }, /^Found by: a field, and the path/],
    ['a path to find by, and no field', { findPath: '/members/{key}' }, /^Found by: a field, and the path/],
    [
      'a path that no key goes into',
      { findField: 'no', findPath: '/members/{no}' },
      /^Asked for at: must name \{key\}/,
    ],
    [
      'keys and a parent',
      { findField: 'no', findPath: '/members/{key}', parent: 'stations' },
      'Found by the field: records that are asked for by those of another dataset can’t be found by key as well.',
    ],
    [
      'too many keys in a request',
      { findField: 'no', findPath: '/members?no={keys}', atOnce: '0' },
      /^Keys in a request: /,
    ],
  ])('says what is wrong with %s', (_, patch, complaint) => {
    const said = form(patch);
    expect(typeof said).toBe('string');
    if (typeof complaint === 'string') expect(said).toBe(complaint);
    else expect(said).toMatch(complaint);
  });
  it('reads a query as it stands in an address', () => {
    expect(form({ query: '?since={{today-7d}}&active&a=b=c&' })).toMatchObject({
      endpoint: {
        query: [
          { name: 'since', value: '{{today-7d}}' },
          { name: 'active', value: '' },
          { name: 'a', value: 'b=c' },
        ],
      },
    });
  });
});
