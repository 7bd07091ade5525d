export { databaseError, DatabaseError } from './database.ts';
export type { Database, Sessions, Statement, Swap, Swapped } from './database.ts';
export type { Row, Session } from './session.ts';
export { datasetName, splitTable, tableName } from './names.ts';
export { isDatabaseOutage } from './outage.ts';
export { makeFromTemplate } from './pglite/template.ts';
export { PgliteDatabase } from './pglite/pglite.ts';
export { PgliteHere, type PgliteOptions } from './pglite/pglite-here.ts';
export { ServerDatabase, type DescribedColumn, type ServerAddress } from './tcp/server.ts';
