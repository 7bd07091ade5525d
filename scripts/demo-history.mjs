import { appendFileSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { draft, caller, document, seedDemo, SIGN_UP_SECRET } from './demo-seed.mjs';

/** Trips of the demo: enough that a load can be watched, and that a week is lived through in about a minute. */
export const TRIPS = 60_000;
/** What makes a server look more often than it need, so that nobody waits for it while the clock goes faster. */
export const QUICK = { VERSICLE_OUTAGE_SECONDS: '2', VERSICLE_TICK_MS: '100', VERSICLE_ARRIVALS_MS: '200' };

const DAY = 86_400_000;
/** Days that have passed since somebody began. */
const DAYS = 7;
/** A while after the evening’s plan is due, whatever the clocks of its zone show. */
const EVENING = 20.5 * 3_600_000;
/** The first day of trips that are not there yet when the week begins, of those that the last file holds. */
const HELD_BACK = 25;

/**
 * The demo world after its first week. The same engine does all of it, by the plans’ own schedules; only the clock that
 * everybody sees goes faster (clock.mjs reads it from a file).
 */
export async function liveThrough({ address, folder, ports, clockFile }, say = () => undefined) {
  const call = caller(address);
  const now = Date.now();
  const today = new Date(now).setUTCHours(0, 0, 0, 0);
  /** `days` before today, at a time of the day. */
  const turn = async (days, hours, minutes = 0) => {
    const at = Math.min(today - days * DAY + (hours * 60 + minutes) * 60_000, Date.now());
    writeFileSync(clockFile, String(at - Date.now()));
    // Every thread has looked at the clock by then, and what is due has begun.
    await pause(500);
  };
  const control = (path, method, body) =>
    fetch(`http://127.0.0.1:${ports.control}${path}`, { method, body: JSON.stringify(body) }).then((a) => a.json());
  const notices = (count) => control('/sign-ups', 'POST', { count });

  const trips = heldBack(folder);
  await turn(DAYS, 10);
  await seedDemo(address, folder, ports, { say, loads: false });
  say('Living through a week …');
  await pace(call, control, null);
  await control('/sign-ups', 'PUT', { to: `${address}/hooks/sign-ups`, secret: SIGN_UP_SECRET });
  // Of every sort there is one among so many.
  await notices(24);
  for (const file of ['sign-ups', 'leavers', 'dock-status', 'repairs']) await published(call, file);
  await bikesWithoutPlovers(call);
  for (const file of ['each-minute', 'sign-ups', 'each-evening']) await document(call, file);
  await quiet(call);

  for (let days = DAYS - 1; days >= 0; days--) {
    const away = days === 3;
    trips.of(DAYS - days);
    if (away) await control('/services/warehouse', 'PUT', { lockedOut: true });
    await turn(days, 2, 10);
    await quiet(call);
    if (days === 2)
      await call.as('Oda Fenn')('POST', '/failures/waive', {
        mapping: 'trips-to-warehouse',
        cause: 'code_not_found',
        line: 'l02',
        reason: 'These bikes were sold before the export; their trips stay behind.',
      });
    if (away) {
      await control('/services/warehouse', 'PUT', { lockedOut: false });
      await turn(days, 7, 40);
      for (const { id, state } of await call('GET', '/runs?limit=20'))
        if (state === 'broken') await call.as('Hanno Brandt')('POST', `/runs/${id}/take-up`);
      await quiet(call);
    }
    for (const [hours, count] of [[9, 7], ...(days < 2 ? [[16, 5]] : [])]) {
      if (today - days * DAY + hours * 3_600_000 > now) break;
      await turn(days, hours, 20);
      await notices(count);
      await quiet(call);
    }
    if (today - days * DAY + EVENING < now) {
      await turn(days, 20, 30);
      await quiet(call);
    }
  }
  writeFileSync(clockFile, '0');
  await pause(500);
  await quiet(call);
  await pace(call, control, '80 a minute');
}

/** The Ledger’s pace, as both sides know it; null: none, for a week that passes in a minute. */
async function pace(call, control, most) {
  await control('/services/ledger', 'PUT', { postingsPerMinute: most === null ? 0 : 100 });
  const { name, connection } = await call('GET', '/systems/ledger');
  const { pace: _, ...rest } = connection;
  await call('PUT', '/systems/ledger', { name, connection: { ...rest, ...(most === null ? {} : { pace: most }) } });
}

/** The trips of the last days are taken out of their file, and come back day by day. */
function heldBack(folder) {
  const path = join(folder, 'trips-2026-09.csv');
  const lines = readFileSync(path, 'latin1').split('\n');
  const day = (line) => Number(/^[^;]*;[^;]*;(\d\d)\.09\.2026/.exec(line)?.[1] ?? 0);
  const later = lines.filter((line) => day(line) >= HELD_BACK);
  writeFileSync(path, lines.filter((line) => day(line) < HELD_BACK).join('\n'), 'latin1');
  return {
    /** Those that one night brings; the last one what is left. */
    of: (night) => {
      const first = HELD_BACK + night - 1;
      const rows = later.filter((line) => (night === DAYS ? day(line) >= first : day(line) === first));
      if (rows.length > 0) appendFileSync(path, `${rows.join('\n')}\n`, 'latin1');
    },
  };
}

/** The Plovers wait until somebody says what they are in the register. */
async function bikesWithoutPlovers(call) {
  const { id, document, version, revision } = await draft(call, 'bikes').then((m) => call('GET', `/mappings/${m.id}`));
  if ((revision ?? null) !== null) return;
  const skip = { id: 's02', when: 'b."Model" = \'M5\'', reason: 'what a Plover is in the register is still asked' };
  await call.as('Hanno Brandt')('PUT', `/mappings/${id}/draft`, {
    document: { ...document, skips: [...document.skips, skip] },
    version,
  });
  await call('POST', `/mappings/${id}/publish`, { note: 'Without the Plovers, until it is settled what they are' });
}

async function published(call, file) {
  const { id, revision } = await draft(call, file);
  if ((revision ?? null) === null) await call('POST', `/mappings/${id}/publish`, { note: 'As agreed' });
}

/** Until nothing goes on any more but what waits for a window. */
async function quiet(call) {
  for (let calm = 0; calm < 2;) {
    const going = (await call('GET', '/runs?limit=50')).filter((r) => r.state === 'queued' || r.state === 'running');
    calm = (await Promise.all(going.map((r) => isWaiting(call, r)))).every((is) => is) ? calm + 1 : 0;
    await pause(120);
  }
}
async function isWaiting(call, run) {
  const { opens, steps, waitsFor } = await call('GET', `/runs/${run.id}`);
  if (opens !== null || waitsFor !== null) return true;
  const within = steps.flatMap((s) => s.runs).filter((r) => r.state === 'queued' || r.state === 'running');
  return within.length > 0 && (await Promise.all(within.map((r) => isWaiting(call, r)))).every((is) => is);
}
const pause = (ms) => new Promise((resolve) => setTimeout(resolve, ms));
