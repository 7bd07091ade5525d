/** How a mapping spreadsheet of somebody's own making is laid out: which sheet, which header row, what each column means. */

export interface ForeignSheet {
  readonly name: string;
  /** Cells as text, merged ones filled. */
  readonly rows: readonly (readonly (string | null)[])[];
}
export const FOREIGN_PARTS = [
  'target dataset',
  'target name',
  'target label',
  'target type',
  'target length',
  'required',
  'key',
  'section',
  'source dataset',
  'source name',
  'source type',
  'condition',
  'rule',
  'default',
  'code table',
  'note',
  'state',
  'question',
  'code list',
  'code from',
  'code to',
  'code meaning',
] as const;
export type ForeignPart = (typeof FOREIGN_PARTS)[number];
export interface ForeignLayout {
  readonly sheet: string;
  /** 0-based. */
  readonly headerRow: number;
  /** By column: what it means; null where it is kept as a note. */
  readonly columns: readonly (ForeignPart | null)[];
}
export interface GuessedLayout extends ForeignLayout {
  readonly holds: 'lines' | 'codes' | 'something else';
  readonly headings: readonly string[];
}

const HEADER_WITHIN = 30;
const words = (list: string): RegExp => new RegExp(`(^|[^\\p{L}])(${list})($|[^\\p{L}])`, 'iu');
const SOURCE = words(
  'source|src|from|legacy|old|origin|current|quelle|quell\\p{L}*|von|alt\\p{L}*|herkunft|champ source',
);
const TARGET = words('target|tgt|to|new|destination|dest|ziel|ziel\\p{L}*|nach|neu\\p{L}*');
/** What a heading speaks of, in the order in which it is looked for: English and German headings of the trade. */
const SUBJECTS: readonly (readonly [subject: string, pattern: RegExp])[] = [
  ['meaning', words('meaning|bedeutung')],
  ['question', words('question|questions|open point|open points|issue|frage|fragen|offene punkte')],
  [
    'codes',
    words(
      'code list|code table|codes|lookup table|lookup|value list|codeliste|codetabelle|werteliste|schlüsseltabelle',
    ),
  ],
  ['required', words('required|mandatory|req|m/o|pflicht|pflichtfeld|muss')],
  ['nullable', words('nullable|optional|null')],
  ['key', words('key|pk|primary key|schlüssel')],
  ['type', words('type|data type|datatype|format|typ|datentyp|\\p{L}*typ')],
  ['length', words('length|len|size|länge')],
  ['default', words('default|default value|standard|standardwert|vorgabe|otherwise')],
  ['condition', words('condition|only if|only when|when|bedingung|wenn')],
  [
    'rule',
    words(
      'rule|rules|logic|transformation|transform|mapping|conversion|derivation|how|calculation|regel|umsetzung|logik|\\p{L}*regel|verarbeitung',
    ),
  ],
  ['state', words('status|state|stand|signed|approved|freigabe')],
  ['note', words('comment|comments|note|notes|remark|remarks|bemerkung|bemerkungen|kommentar|anmerkung|hinweis')],
  ['section', words('section|group|area|block|bereich|gruppe|abschnitt')],
  ['dataset', words('table|dataset|entity|object|file|tabelle|datei|objekt|\\p{L}*tabelle|\\p{L}*datei')],
  ['label', words('label|description|business name|meaning|caption|bezeichnung|beschreibung|titel')],
  ['name', words('field|column|attribute|element|name|feld|spalte|attribut|\\p{L}*feld|\\p{L}*spalte')],
];

/** A column that only counts its rows, whatever group it stands under. */
const NUMBER = /^(#|no|nr|pos|position|seq|sequence|lfd nr|row|line|zeile)$/i;

/** Guesses the layout of each sheet; the caller may correct it. */
export function guessLayouts(sheets: readonly ForeignSheet[]): GuessedLayout[] {
  return sheets.map((sheet) => {
    let best: GuessedLayout | null = null;
    let score = 0;
    for (let row = 0; row < Math.min(HEADER_WITHIN, sheet.rows.length); row++) {
      const headings = headingsAt(sheet, row);
      const columns = partsOf(
        headings.map((h) => h.text),
        headings.map((h) => h.above),
      );
      const found = new Set(columns.filter((c) => c !== null));
      const filled = headings.filter((h) => h.own !== '').length;
      // A header names many different things in short words, and rows follow it.
      const long = headings.filter((h) => h.own.length > 40).length;
      const total = found.size * 2 - long * 2 + (filled >= 2 && row + 1 < sheet.rows.length ? 0.5 : -2);
      const holds = holdsOf(found);
      if (holds !== 'something else' && total > score) {
        score = total;
        best = { sheet: sheet.name, headerRow: row, columns, holds, headings: headings.map((h) => h.text) };
      }
    }
    return (
      best ?? {
        sheet: sheet.name,
        headerRow: 0,
        columns: (sheet.rows[0] ?? []).map(() => null),
        holds: 'something else',
        headings: (sheet.rows[0] ?? []).map((c) => c ?? ''),
      }
    );
  });
}
/** The headings of a chosen header row, with the group that stands above them. */
export function headingsOf(sheet: ForeignSheet, row: number): string[] {
  return headingsAt(sheet, row).map((h) => h.text);
}
/** What columns mean by their headings alone. */
export function partsByHeading(sheet: ForeignSheet, row: number): (ForeignPart | null)[] {
  const headings = headingsAt(sheet, row);
  return partsOf(
    headings.map((h) => h.text),
    headings.map((h) => h.above),
  );
}

function headingsAt(sheet: ForeignSheet, row: number): { own: string; above: string; text: string }[] {
  const own = sheet.rows[row] ?? [];
  const over = row > 0 ? (sheet.rows[row - 1] ?? []) : [];
  // A group above is short, stands over several columns, and says something else than the heading.
  const groups = new Set(over.filter((c) => c !== null && c.trim().length <= 30).map((c) => c!.trim()));
  const repeated = groups.size < over.filter((c) => c !== null && c !== '').length;
  return Array.from({ length: Math.max(own.length, 1) }, (_, i) => {
    const text = (own[i] ?? '').trim();
    const above = repeated && groups.has((over[i] ?? '').trim()) ? (over[i] ?? '').trim() : '';
    return {
      own: text,
      above: above === text ? '' : above,
      text: above !== '' && above !== text ? `${above} ${text}`.trim() : text,
    };
  });
}

function holdsOf(found: ReadonlySet<ForeignPart | null>): GuessedLayout['holds'] {
  if (found.has('target name') || found.has('target label')) return 'lines';
  return found.has('code from') && found.has('code to') ? 'codes' : 'something else';
}

function partsOf(headings: readonly string[], above: readonly string[]): (ForeignPart | null)[] {
  const read = headings.map((h, i) => roleAndSubject(h, above[i] ?? ''));
  const isCodes = isCodeList(headings, read);
  const taken = new Set<ForeignPart>();
  const result = read.map(({ role, subject }): ForeignPart | null => {
    const part = isCodes ? codePart(role, subject) : linePart(role, subject);
    // The first of two columns that mean the same; the other stays a note.
    if (part === null || taken.has(part)) return null;
    taken.add(part);
    return part;
  });
  return withoutSides(result, read);
}
/** Whether the columns are those of a code list: from, to, perhaps what it means; and nothing that a line would have. */
function isCodeList(headings: readonly string[], read: readonly Heading[]): boolean {
  const sides = new Set(read.map((r) => r.role));
  const given = headings.filter((h) => h !== '');
  if (!sides.has('source') || !sides.has('target') || given.length > 6) return false;
  const OF_CODES = ['side', 'codes', 'meaning', 'label', 'note', 'dataset', 'key', 'number'];
  if (!read.every((r) => r.subject === null || OF_CODES.includes(r.subject))) return false;
  return (
    given.some((h) => /code|value|wert/i.test(h)) ||
    given.every((h) => /^(from|to|von|nach|meaning|bedeutung)$/i.test(h))
  );
}

/** A sheet whose headings do not say which side they are of: the first field column is the source, unless the sheet says otherwise. */
function withoutSides(parts: (ForeignPart | null)[], read: readonly Heading[]): (ForeignPart | null)[] {
  if (parts.includes('target name') || parts.includes('code from')) return parts;
  const plain = read.flatMap((r, i) => (r.role === null && r.subject === 'name' ? [i] : []));
  const [only] = plain;
  if (only === undefined) return parts;
  return parts.map((p, i) => (i === only ? 'target name' : p));
}

interface Heading {
  readonly role: 'source' | 'target' | null;
  readonly subject: string | null;
}
function roleAndSubject(heading: string, above: string): Heading {
  const text = heading.replace(/[_/.-]+/g, ' ');
  const own = above === '' ? text : text.slice(above.length).trim() || text;
  const side = (t: string): 'source' | 'target' | null => {
    const [s, t2] = [t.search(SOURCE), t.search(TARGET)];
    if (s < 0 && t2 < 0) return null;
    return t2 < 0 || (s >= 0 && s < t2) ? 'source' : 'target';
  };
  const role = (above !== '' ? side(above) : null) ?? side(text);
  if (NUMBER.test(own.trim())) return { role: null, subject: 'number' };
  const subject = SUBJECTS.find(([, pattern]) => pattern.test(own))?.[0] ?? (role !== null ? 'side' : null);
  return { role, subject };
}
function linePart(role: 'source' | 'target' | null, subject: string | null): ForeignPart | null {
  switch (subject) {
    case 'side':
    case 'name':
      return role === null ? null : `${role} name`;
    case 'dataset':
      return role === null ? null : `${role} dataset`;
    case 'type':
      return role === 'source' ? 'source type' : 'target type';
    case 'length':
      return role === 'source' ? null : 'target length';
    case 'label':
      return role === 'source' ? null : 'target label';
    case 'required':
    case 'key':
      return role === 'source' ? null : subject;
    case 'codes':
      return 'code table';
    case 'rule':
    case 'default':
    case 'condition':
    case 'note':
    case 'state':
    case 'question':
    case 'section':
      return subject;
    default:
      return null;
  }
}
function codePart(role: 'source' | 'target' | null, subject: string | null): ForeignPart | null {
  if (subject === 'meaning' || subject === 'label' || subject === 'note') return 'code meaning';
  if (subject === 'number') return null;
  if (role === 'source') return 'code from';
  if (role === 'target') return 'code to';
  return subject === 'codes' || subject === 'dataset' ? 'code list' : null;
}
