/** Text for everything that JavaScript would bend: dates stay as PostgreSQL prints them, int8 and numeric as text. */
export const parsers = Object.fromEntries(
  [20, 1082, 1083, 1114, 1184, 1186, 1700, 114, 3802].map((oid) => [oid, (text: string) => text]),
);
