import { DERIVED } from './mapping-sheet.ts';
import { got } from './workbook-sheet.ts';

/** What cells said that follow from others, as the workbook went out; another version may word them otherwise. */
export interface Shown {
  /** By the line's id, and the heading. */
  readonly lines: ReadonlyMap<string, Readonly<Record<string, string | undefined>>>;
  /** Grey entries of the title page; one may stand several times. */
  readonly overview: ReadonlyMap<string, readonly (string | undefined)[]>;
}
const NOTHING_KNOWN: Shown = { lines: new Map(), overview: new Map() };

/** As it is kept in the workbook. */
export interface KeptShown {
  readonly lines: readonly (readonly (string | null)[])[];
  readonly overview: readonly (readonly (string | null)[])[];
}
/** Reads what was kept; where it is gone or was changed, nothing is known to be changed elsewhere. */
export function readShown(kept: () => unknown): Shown {
  try {
    const { lines, overview } = kept() as KeptShown;
    const entries = new Map<string, (string | undefined)[]>();
    for (const [entry, value] of overview)
      entries.set(got(entry) ?? '', [...(entries.get(got(entry) ?? '') ?? []), got(value)]);
    return {
      lines: new Map(
        lines.map(([line, ...cells]) => [
          got(line) ?? '',
          Object.fromEntries(DERIVED.map((heading, i) => [heading, got(cells[i])])),
        ]),
      ),
      overview: entries,
    };
  } catch {
    return NOTHING_KNOWN;
  }
}

/** A question that stands in the row of its line; `instead` of another one, or as a new one. */
export interface Asked {
  readonly line: string;
  readonly text: string;
  readonly instead: string | undefined;
}
export interface DerivedCells {
  readonly source: string | undefined;
  readonly note: string | undefined;
  readonly state: string | undefined;
  /** A source field or a rule was written where there was none. */
  readonly filledIn: boolean;
  readonly asked: Omit<Asked, 'line'> | null;
}
interface RowSays {
  readonly of: (heading: string) => string | undefined;
  /** What the row's derived cells said; undefined where that is not known, as of a row that somebody added. */
  readonly shown: Readonly<Record<string, string | undefined>> | undefined;
  /** What a cell said as the workbook went out. */
  readonly was: (heading: string) => string | undefined;
  readonly isBaseKnown: boolean;
  /** Whether the workbook still has a column. */
  readonly has: (heading: string) => boolean;
  readonly tell: (column: string, says: string) => void;
}
const TOLD: Readonly<Record<string, string>> = {
  'Source dataset': 'Which datasets are read is said on the sheet Overview; nothing was taken.',
  'Source type': 'The type of a source field is known from the dataset; nothing was taken.',
  Length: 'The length is a part of the type; write it into Type, as in varchar(12).',
};
/** Programs write line ends in their own way, and blanks at the end do not show. */
export const sameText = (a: string | undefined, b: string | undefined): boolean =>
  (a ?? '').replace(/\r\n?/g, '\n').trim() === (b ?? '').replace(/\r\n?/g, '\n').trim();

/**
 * What people wrote into columns that follow from others. A source field, a question and a word on how are taken; what
 * can't be is told.
 */
export function derivedCells({ of, shown, was, isBaseKnown, has, tell }: RowSays): DerivedCells {
  const added = of('Line') === undefined;
  const isNew = (heading: (typeof DERIVED)[number]): boolean =>
    added ? of(heading) !== undefined : shown !== undefined && has(heading) && !sameText(of(heading), shown[heading]);
  let source = of('Source field');
  if (isNew('Source fields')) {
    const named = of('Source fields');
    const takes = ['straight', 'lookup', undefined].includes(of('Kind')) && (!added || of('Rule') === undefined);
    if (takes && named !== undefined && sameText(source, added ? undefined : was('Source field'))) source = named;
    else if (!added || of('Rule') === undefined)
      tell(
        'Source fields',
        'The fields follow from how the line is filled; change that, or write how it should be into Note.',
      );
  }
  const how = isNew('How') ? of('How') : undefined;
  const note = [of('Note'), how === undefined ? undefined : `How, in the workbook: ${how}`];
  for (const heading of ['Source dataset', 'Source type', 'Length'] as const)
    if (isNew(heading) && !(added && heading === 'Source dataset')) tell(heading, TOLD[heading]!);
  const text = of('Question');
  // Where it is not known what went out, a question that the sheet of questions has already is no new one.
  const asks = text !== undefined && (isNew('Question') || shown === undefined);
  if (text === undefined && isNew('Question'))
    tell('Question', 'A question ends with its answer, on the sheet Questions; here nothing was taken.');
  const state = of('State');
  const signed = !added && !sameText(state, was('State'));
  const isWritten = !sameText(of('Rule'), was('Rule')) || !sameText(source, was('Source field'));
  const filledIn = !added && isBaseKnown && isWritten && of('Kind') === undefined;
  const asking = asks && isNew('Question') && !signed;
  return {
    source,
    filledIn,
    note: how === undefined ? of('Note') : note.filter((n) => n !== undefined).join('\n'),
    asked: asks ? { text, instead: shown?.['Question'] } : null,
    state: asking ? 'question' : filledIn && !signed && state === 'to map' ? 'drafted' : state,
  };
}
