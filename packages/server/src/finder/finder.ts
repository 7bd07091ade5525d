import type { Found } from '@versicle/contract';
import type { Database } from '@versicle/postgres';
import { Conditions } from '../store/conditions.ts';
import { literal } from '../store/values.ts';

/** A kind of thing: rows of what, id, of, system, name, note and the text that they are found by (`words`). */
interface Source {
  readonly what: Found['what'];
  /** `%` stands for the condition on `words`, which is named as it is indexed; `@` for the whole text. */
  readonly sql: string;
  readonly words: string;
  /** What it is called itself: whoever writes just that finds it, however many others have it in their names. */
  readonly own: string;
  /** Further words of the thing, such as where it belongs: they help to tell it from others, and alone find nothing. */
  readonly besides?: string;
  /** Keys of records are written as they are: nothing like them is meant. */
  readonly exact?: true;
}

const FIELDS = `(SELECT DISTINCT ON (system, dataset) system, dataset, fields FROM structure ORDER BY system, dataset, number DESC) s
  JOIN system y ON y.id = s.system, jsonb_array_elements(s.fields) f`;

const SOURCES: readonly Source[] = [
  {
    what: 'mapping',
    own: 'm.name',
    words: 'm.name',
    sql: "SELECT m.id, NULL AS of, NULL AS system, m.name, '' AS note FROM mapping m WHERE %",
  },
  {
    what: 'system',
    own: 's.name',
    words: 's.name',
    sql: "SELECT s.id, NULL AS of, NULL AS system, s.name, '' AS note FROM system s WHERE %",
  },
  {
    what: 'dataset',
    own: 'd.name',
    words: "(d.name || ' ' || y.name)",
    sql: `SELECT d.name AS id, d.system AS of, NULL AS system, d.name, y.name AS note
            FROM (SELECT system, name FROM known_dataset UNION SELECT system, dataset FROM structure UNION SELECT system, dataset FROM dataset_setting
                  UNION SELECT split_part(name, '/', 1), substr(name, strpos(name, '/') + 1) FROM mapping_use WHERE thing = 'dataset') d
            JOIN system y ON y.id = d.system WHERE %`,
  },
  {
    what: 'line',
    own: 'u.field',
    words: 'u.name',
    besides: 'm.name',
    sql: `SELECT u.line AS id, u.mapping AS of, NULL AS system, u.name, m.name || ', line ' || u.number AS note
            FROM mapping_use u JOIN mapping m ON m.id = u.mapping WHERE u.thing = 'line' AND %`,
  },
  {
    what: 'field',
    own: "f ->> 'name'",
    words: "concat_ws(' ', f ->> 'name', f ->> 'label')",
    besides: "(s.dataset || ' ' || y.name)",
    sql: `SELECT f ->> 'name' AS id, s.dataset AS of, s.system, concat_ws(' ', f ->> 'name', f ->> 'label') AS name, y.name || ' / ' || s.dataset AS note
            FROM ${FIELDS} WHERE %`,
  },
  {
    what: 'plan',
    own: 'p.name',
    words: 'p.name',
    sql: "SELECT p.id, NULL AS of, NULL AS system, p.name, '' AS note FROM plan p WHERE %",
  },
  {
    what: 'code table',
    own: 't.name',
    words: 't.name',
    sql: "SELECT t.name AS id, NULL AS of, NULL AS system, t.name, '' AS note FROM code_table t WHERE %",
  },
  {
    what: 'run',
    own: 'r.id::text',
    words: "(r.id || ' ' || p.name)",
    exact: true,
    sql: `SELECT r.id::text AS id, NULL AS of, NULL AS system, 'Run ' || r.id AS name, p.name || ', ' || r.state AS note
            FROM ((SELECT * FROM run ORDER BY id DESC LIMIT 2000) UNION ALL SELECT * FROM run WHERE id::text = @) r JOIN plan p ON p.id = r.plan WHERE %`,
  },
  {
    what: 'failed record',
    own: 'f.label',
    words: "(f.label || ' ' || f.example)",
    exact: true,
    sql: `SELECT f.id::text AS id, f.mapping AS of, NULL AS system, f.label AS name, m.name || ', ' || f.message AS note
            FROM failed_record f JOIN mapping m ON m.id = f.mapping WHERE f.state <> 'remark' AND %`,
  },
];

interface FoundRow {
  [key: string]: unknown;
  id: string;
  of: string | null;
  system: string | null;
  name: string;
  note: string;
  likeness: number;
}

/** Of one kind, so many are looked at before the likest are chosen; a word that everything has finds some of it. */
const LOOKED_AT = 200;

/**
 * What has these words in its name, the likest first; where nothing has them, what is spelt like them. Of failed records
 * a text shorter than three letters finds those with just this key, as it would have to look at all of them.
 */
export async function find(db: Database, text: string, limit: number): Promise<Found[]> {
  const words = text.trim().split(/\s+/).filter(Boolean).slice(0, 8);
  if (words.length === 0) return [];
  const named = [
    ...(await look(db, text.trim(), words, limit, 'own')),
    ...(await look(db, text.trim(), words, limit, 'has')),
  ];
  const found = named.length > 0 ? named : await look(db, text.trim(), words, limit, 'like');
  const once = new Map(found.map((f) => [JSON.stringify([f.what, f.of, f.id]), f]));
  const place = (f: FoundOne): number => SOURCES.findIndex((s) => s.what === f.what);
  return [...once.values()]
    .sort((a, b) => b.likeness - a.likeness || place(a) - place(b))
    .slice(0, limit)
    .map(({ what, id, of, system, name, note }) => ({ what, id, of, system, name, note }));
}

type FoundOne = Found & { readonly likeness: number };

/** `own`: called just so; `has`: with all words in its name; `like`: with words that are spelt like these. */
async function look(
  db: Database,
  text: string,
  words: readonly string[],
  limit: number,
  how: 'own' | 'has' | 'like',
): Promise<FoundOne[]> {
  const found: FoundOne[] = [];
  const short = Math.max(...words.map((word) => word.length)) < 3;
  for (const source of SOURCES) {
    if (how === 'like' && source.exact) continue;
    // Of a million records a short text would have to look at each.
    if (how === 'has' && short && source.what === 'failed record') continue;
    const asked = new Conditions();
    const whole = asked.param(text);
    if (how === 'own') asked.always(`${source.own} = ${whole}`);
    else meets(asked, source, words, how);
    const sql = source.sql.replace('%', () => asked.sql).replace('@', () => whole);
    const rows = await db.query<FoundRow>(
      `SELECT c.*, similarity(c.name, ${whole}::text) AS likeness FROM (${sql} LIMIT ${LOOKED_AT}) c
        ORDER BY likeness DESC, c.name, c.id LIMIT ${limit}`,
      asked.params,
    );
    for (const { id, of, system, name, note, likeness } of rows)
      found.push({ what: source.what, id, of, system, name, note, likeness: how === 'own' ? 2 : Number(likeness) });
  }
  return found;
}

/** Each word in its name, or besides; at least one in its name. What may be misspelt is looked for by the index alone. */
function meets(
  asked: Conditions,
  { words: name, besides }: Source,
  words: readonly string[],
  how: 'has' | 'like',
): void {
  const given = words.map((word) => asked.param(how === 'like' ? word : `%${literal(word)}%`));
  const has = (text: string, word: string): string => (how === 'like' ? `${word} <% ${text}` : `${text} ILIKE ${word}`);
  const own = given.map((word) => has(name, word));
  if (besides === undefined || how === 'like') return own.forEach((condition) => asked.always(condition));
  own.forEach((condition, i) => asked.always(`(${condition} OR ${has(besides, given[i]!)})`));
  asked.always(`(${own.join(' OR ')})`);
}
