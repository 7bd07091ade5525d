/** All that changes how values are written or read, whatever a role, a database or an operator has as its default. */
export const SETTINGS =
  "SET TimeZone = 'UTC'; SET DateStyle = 'ISO'; SET IntervalStyle = 'postgres'; SET extra_float_digits = 1; SET bytea_output = 'hex'; SET xmloption = 'content'; SET client_encoding = 'UTF8'; SET lc_monetary = 'C'; SET standard_conforming_strings = on";

/** The server finds out within half a minute that a session's machine is gone. */
export const KEPT_ALIVE = 'SET tcp_keepalives_idle = 10; SET tcp_keepalives_interval = 5; SET tcp_keepalives_count = 3';

/** Types that JavaScript would bend, by their OIDs: dates and JSON stay as PostgreSQL prints them, int8 and numeric, too. */
export const AS_TEXT: ReadonlySet<number> = new Set([20, 1082, 1083, 1114, 1184, 1186, 1700, 114, 3802]);

/** How like a word must be to be meant (`pg_trgm`): two letters that changed places, or one that is missing, are forgiven. */
export const MISSPELT = 'SET pg_trgm.word_similarity_threshold = 0.35';
