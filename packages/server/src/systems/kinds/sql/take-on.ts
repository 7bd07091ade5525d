import { isDatabaseOutage, ServerDatabase, type Database } from '@versicle/postgres';
import { sessionsOf } from '../../../workers/this-process.ts';

/** A run is this process's from now on, and what the one before has open on a server is ended. Gives what of it could not be done. */
export async function takeOn(
  database: Database,
  source: string,
  claim: number,
  before: string | null,
): Promise<string | null> {
  let remark: string | null = null;
  if (before !== null && database instanceof ServerDatabase)
    await database.endSessions(sessionsOf(before)).catch((error: Error) => {
      if (isDatabaseOutage(error)) throw error;
      remark = `what the process before has open there could not be ended, and is waited for: ${error.message}`;
    });
  await database.takeOn(source, claim);
  return remark;
}
