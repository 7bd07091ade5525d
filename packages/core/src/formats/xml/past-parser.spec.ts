import fc from 'fast-check';
import { Unreadable } from '../format.ts';
import { treeJson } from '../nested/nested.ts';
import { SheetParser, type SheetRow } from '../xlsx/sheet-parser.ts';
import { sharedTexts } from '../xlsx/shared-texts.ts';
import { XmlRecords } from './read.ts';

/** What is read past the parser must come out as if it had been read by it: in pieces of one character no element is whole. */
const inPieces = (text: string, size: number): string[] =>
  Array.from({ length: Math.ceil(text.length / size) }, (_, i) => text.slice(i * size, (i + 1) * size));

function xml(text: string, size: number): unknown {
  const records = new XmlRecords('list/r');
  try {
    const found = [...inPieces(text, size).flatMap((piece) => records.push(piece)), ...records.end()];
    return found.map((tree) => (tree instanceof Unreadable ? tree : treeJson(tree)));
  } catch (error) {
    return (error as Error).message;
  }
}
function sheet(text: string, size: number): unknown {
  const parser = new SheetParser(['one', 'two', null], [null, 'date', 'duration'], false);
  const rows: SheetRow[] = [];
  try {
    for (const piece of inPieces(text, size)) parser.write(piece);
    parser.close();
    rows.push(...parser.take());
    return rows;
  } catch (error) {
    return (error as Error).message;
  }
}

// A half of a character comes out of no decoder.
const texts = ['x', ' ', '\t', '\n', '\r\n', '\r', ']', ']]', '>', '"', '&amp;', '&', '&#65;', '&e;', 'é', '\u0085', '\u2028', '😀', '\u0000', '\ufffe', '\ufffd', '\u007f']; // prettier-ignore
const marks = ['<!--', '-->', '<![CDATA[', ']]>', '<?p ', '?>', '<', '</', '/>', '<!'];

describe('what is read past the parser of XML', () => {
  const elements = ['<a>x</a>', '<a></a>', '<a> </a>', '<b>1 2</b>', '<y:a>é</y:a>', '<a>]</a>', '<a>&lt;</a>', '<a>]]></a>', '<a>\r</a>', '<a>x</b>', '<a>', '</a>', '<b>', '</b>', '<b n="1">x</b>', '<b n="<a>x</a>">', '<b/>', '</r>', '<r>', '<r>x</r>', '<1>x</1>', '<é>x</é>', '<a >x</a>']; // prettier-ignore
  const content = fc.array(
    fc.oneof({ arbitrary: fc.constantFrom(...elements), weight: 6 }, fc.constantFrom(...texts), fc.constantFrom(...marks)), // prettier-ignore
    { maxLength: 12 },
  );

  it('is as if it had been read by it', () => {
    fc.assert(
      fc.property(
        content,
        content,
        fc.constantFrom('', '<?xml version="1.1"?>'),
        fc.integer({ min: 2, max: 40 }),
        (one, other, head, size) => {
          // prettier-ignore
          const text = `${head}<list><r>${one.join('')}</r>\n<r>${other.join('')}</r></list>`;
          const alone = xml(text, 1);
          expect(xml(text, text.length)).toEqual(alone);
          expect(xml(text, size)).toEqual(alone);
        },
      ),
      { numRuns: 1000 },
    );
  });

  it('leaves brackets where they are', () => {
    expect(xml('<list><r>a]]<b>x</b>>c</r></list>', 1000)).toEqual(['{"b":"x","":"a]]>c"}']);
    expect(xml('<list><r>a]]<b/><b>x</b>>c</r></list>', 1000)).toEqual(['{"b":[null,"x"],"":"a]]>c"}']);
  });

  it('is bounded as all else', () => {
    const long = 'x'.repeat(1000);
    const record = `<r>${`<a>${long}</a>`.repeat(4200)}</r>`;
    const [one, next] = xml(`<list>${record}<r><a>1</a></r></list>`, 100_000) as [Unreadable, string];
    expect(one.message).toBe('The record is longer than 4,194,304 characters.');
    expect(next).toBe('{"a":"1"}');
    // A name that is too much is not missing without a word either.
    const nearly = `<r><a>${'x'.repeat(4_194_302)}</a><bcd/></r>`;
    expect(xml(`<list>${nearly}</list>`, 100_000)).toEqual([new Unreadable(one.message, '')]);
    const deep = '<d>'.repeat(98);
    expect(xml(`<list><r>${deep}<a>x</a>${'</d>'.repeat(98)}</r></list>`, 1000)).toMatch(/deeper than 100 levels/);
  });
});

describe('what is read past the parser of sheets', () => {
  const cells = ['<c r="A1"><v>1</v></c>', '<c r="B1" t="s"><v>0</v></c>', '<c t="s"><v>7</v></c>', '<c t="s"><v>2</v></c>', '<c r="D1" s="1"><v>45000.5</v></c>', '<c s="2" t="n"><v>1.5</v></c>', '<c r="AA1" s="1"/>', '<c/>', '<c t="inlineStr"><is><t xml:space="preserve"> a </t></is></c>', '<c t="inlineStr"><is><t>a_x000D_b</t></is></c>', '<c t="inlineStr"><is><r><t>a</t></r><r><t>b</t></r></is></c>', '<c t="str"><f>A1+1</f><v>x</v></c>', '<c t="str"><f t="shared">A1</f><v>&amp;</v></c>', '<c t="b"><v>1</v></c>', '<c><v>1</v><v>2</v></c>', '<c t="s" r="C1"><v>1</v></c>', '<c r="XFE1"><v>1</v></c>', '<c r="1"><v>1</v></c>', '<x:c r="A1"><x:v>1</x:v></x:c>', '<is><t>a</t></is>', '<c>', '</c>', '<v>', '</v>', '</row>', '<row>', '<row r="9">', '<row r="0">', '<t>', '</t>', '<rPh>', '</rPh>']; // prettier-ignore
  const content = fc.array(
    fc.oneof({ arbitrary: fc.constantFrom(...cells), weight: 8 }, fc.constantFrom(...texts), fc.constantFrom(...marks)), // prettier-ignore
    { maxLength: 10 },
  );

  it('is as if it had been read by it', () => {
    fc.assert(
      fc.property(content, content, fc.integer({ min: 2, max: 60 }), (one, other, size) => {
        const text = `<worksheet><sheetData><row r="1">${one.join('')}</row><row>${other.join('')}</row></sheetData></worksheet>`;
        const alone = sheet(text, 1);
        expect(sheet(text, text.length)).toEqual(alone);
        expect(sheet(text, size)).toEqual(alone);
      }),
      { numRuns: 1000 },
    );
  });
});

describe('what is read past the parser of shared texts', () => {
  const items = ['<si><t>a</t></si>', '<si><t xml:space="preserve"> b </t></si>', '<si><t></t></si>', '<si><t>&amp;</t></si>', '<si><t>a_x000D_b</t></si>', '<si><r><t>a</t></r><r><t>b</t></r></si>', '<si><t>a</t><rPh><t>x</t></rPh></si>', '<si>', '</si>', '<x><si><t>in</t></si></x>', '<rPh>', '</rPh>', '<t>', '</t>']; // prettier-ignore
  const read = async (text: string, size: number): Promise<unknown> => {
    const pieces = inPieces(text, size).map((piece) => new TextEncoder().encode(piece));
    const archive = {
      names: ['s'],
      async *read() {
        yield* pieces;
      },
    };
    return sharedTexts(archive, 's').catch((error: Error) => error.message);
  };

  it('is as if it had been read by it', () =>
    fc.assert(
      fc.asyncProperty(fc.array(fc.constantFrom(...items, ']', ' ', '<!--', '-->'), { maxLength: 10 }), async (all) => {
        const text = `<sst>${all.join('')}</sst>`;
        expect(await read(text, text.length)).toEqual(await read(text, 1));
      }),
      { numRuns: 1000 },
    ));
});
