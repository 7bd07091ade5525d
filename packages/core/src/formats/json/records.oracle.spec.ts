import fc from 'fast-check';
import { JsonElements } from './read.ts';

/** Names that are alike, that separate paths, and that need escapes. */
const name = fc.constantFrom('a', 'b', 'items', 'a.b', 'c\\d', 'é', 'q"q');
const scalar = fc.oneof(fc.double({ noNaN: true, noDefaultInfinity: true }), fc.boolean(), fc.constant(null), fc.constantFrom('', 'a text', '[x] {y}, "z" \\')); // prettier-ignore
const { object } = fc.letrec<{ value: unknown; object: Record<string, unknown> }>((tie) => ({
  value: fc.oneof({ depthSize: 'small' }, scalar, fc.array(tie('value'), { maxLength: 3 }), tie('object')),
  object: fc.dictionary(name, tie('value'), { maxKeys: 3 }),
}));
const around = fc.record({ name, before: object, after: object });
const written = (path: readonly string[]): string => path.map((n) => n.replace(/[\\.]/g, '\\$&')).join('.');

/** Against JSON.parse: documents with a list anywhere, beside others like it. */
it('reads the list at a path, all of it and no other, and tells what stands beside', () => {
  fc.assert(
    fc.property(
      fc.array(around, { maxLength: 3 }),
      fc.array(fc.oneof(object, fc.integer(), fc.constant('a text')), { maxLength: 4 }),
      fc.constantFrom(undefined, 1, '\t'),
      fc.constantFrom(1, 3, 1000),
      (way, list, indent, piece) => {
        const names = way.map((w) => w.name);
        let document: unknown = list;
        const beside: string[] = [];
        for (const [i, level] of [...way.entries()].reverse()) {
          const without = (members: Record<string, unknown>) =>
            Object.entries(members).filter(([other]) => other !== level.name);
          const others = new Map([...without(level.before), ...without(level.after)]);
          for (const [other, held] of others) if (held !== null) beside.push(written([...names.slice(0, i), other]));
          document = Object.fromEntries([...without(level.before), [level.name, document], ...without(level.after)]);
        }
        const text = JSON.stringify(document, null, indent);
        const seen: string[] = [];
        const elements = new JsonElements(written(names), (path) => seen.push(path));
        const found = [];
        for (let at = 0; at < text.length; at += piece) found.push(...elements.push(text.slice(at, at + piece)));
        found.push(...elements.end());
        expect(found.map((record) => JSON.parse(record as string) as unknown)).toEqual(
          list.map((record) => JSON.parse(JSON.stringify(record)) as unknown),
        );
        expect(seen.sort()).toEqual(beside.sort());
      },
    ),
    { numRuns: 1000 },
  );
});
