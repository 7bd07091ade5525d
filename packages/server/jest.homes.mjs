import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';

const source = join(import.meta.dirname, 'src');
/** Debian's PostgreSQL server; without it, all stores of tests are embedded (npm test says so). */
const isServerHere = existsSync('/usr/lib/postgresql');
/** What speaks SQL to the store is tried in both homes always. */
const SPEAKS_SQL = /\bdirectDatabase\b/;
/** They say themselves where their stores are. */
const OF_ONE_HOME = /\b(DATABASE_URL|Several)\b/;

/**
 * Where the stores of the server's tests are: embedded, or on a PostgreSQL server. VERSICLE_HOMES: `server`, all that have a
 * store there (npm run test:on-server); a number, each in one of both, drawn by it (npm test: a new one each time, so that
 * every test is tried in both homes within a few runs, in half of the time); otherwise embedded.
 */
const homes = process.env.VERSICLE_HOMES ?? '';
const inBoth = [];
const inEither = [];
for (const name of readdirSync(source, { recursive: true })) {
  if (!name.endsWith('.spec.ts')) continue;
  const text = readFileSync(join(source, name), 'utf8');
  if (SPEAKS_SQL.test(text)) inBoth.push(name);
  else if (/\bRunningServer\b/.test(text) && !OF_ONE_HOME.test(text)) inEither.push(name);
}
const isDrawn = (name) => {
  let hash = Number(homes) >>> 0;
  for (const c of name) hash = Math.imul(hash ^ c.codePointAt(0), 0x01000193) >>> 0;
  return ((hash ^ (hash >>> 15)) & 3) !== 0;
};
const matches = (names) => names.map((name) => `<rootDir>/src/${name}`);

export const onServer = !isServerHere
  ? []
  : matches([...inBoth, ...(homes === 'server' ? inEither : homes === '' ? [] : inEither.filter(isDrawn))]);
const elsewhere = homes === '' || homes === 'server' || !isServerHere ? [] : inEither.filter(isDrawn);
/** Patterns of those that are on a server this time, instead of in an embedded store. */
export const notEmbedded = matches(elsewhere).map((path) => `${path.replace(/[.]/g, '\\.')}$`);
