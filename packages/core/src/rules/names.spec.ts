import fc from 'fast-check';
import { emptyPglite } from '../testing/empty-pglite.ts';
import { KEYWORDS, RESERVED } from './keywords.ts';
import { parseRule } from './parse.ts';
import { fieldText, printRule, quoteName, textLiteral, writtenName } from './print.ts';

/** Whatever a field is called, what we write for it reads back as that field. */
const field = (text: string): unknown => {
  const node = parseRule(text);
  return node.kind === 'field' ? { alias: node.alias, name: node.name } : node.kind;
};
const anyName = fc.string({ unit: 'grapheme', minLength: 1, maxLength: 12 }).filter((n) => !n.includes('\u0000'));

describe('names in rules', () => {
  it.each([...KEYWORDS, ...RESERVED, 'year', 'name', 'value', 'type', 'select list', 'a"b', 'Ü', '1st'])(
    'a field called %s',
    (name) => {
      expect(field(fieldText(null, name))).toEqual({ alias: null, name });
      expect(field(fieldText('m', name))).toEqual({ alias: 'm', name });
      // As a part of something larger, too.
      const node = parseRule(`${writtenName(name)} IS NULL OR trim(${writtenName(name)}) = ''`);
      expect(printRule(parseRule(printRule(node)))).toBe(printRule(node));
    },
  );
  it('any name at all', () =>
    fc.assert(
      fc.property(anyName, (name) => {
        expect(field(fieldText(null, name))).toEqual({ alias: null, name });
        expect(field(fieldText('alias', name))).toEqual({ alias: 'alias', name });
        expect(field(quoteName(name))).toEqual({ alias: null, name });
      }),
    ));
  it('any text', () =>
    fc.assert(
      fc.property(
        fc.string({ unit: 'binary' }).filter((t) => !t.includes('\u0000')),
        (text) => {
          expect(parseRule(textLiteral(text))).toMatchObject({ kind: 'text', value: text });
        },
      ),
    ));
  it('the words are PostgreSQL’s', async () => {
    const db = await emptyPglite();
    try {
      const { rows } = await db.query<{ word: string }>("SELECT word FROM pg_get_keywords() WHERE catcode <> 'U'");
      expect(new Set(rows.map((r) => r.word))).toEqual(new Set(KEYWORDS));
      expect([...RESERVED].filter((word) => !KEYWORDS.has(word))).toEqual([]);
    } finally {
      await db.close();
    }
  });
});
