import { Random } from '../random.ts';
import { STATION_COUNT, stationCode } from '../tidebridge/stations.ts';
import { Service, type Reply } from './service.ts';

const DOCKS = 18;

/** The Dock network: only the present state, one call a station; it changes by the minute, mostly a little. */
export function docks(clock: () => Date = () => new Date()): Service {
  return new Service('docks', ({ path, headers }): Reply => {
    if (headers['x-api-key'] !== 'dock-practice') return { status: 401, body: { message: 'unknown key' } };
    if (path === '/stations')
      return {
        status: 200,
        body: {
          stations: Array.from({ length: STATION_COUNT }, (_, i) => ({ code: stationCode(i + 1), docks: DOCKS })),
        },
      };
    const code = /^\/stations\/([^/]+)\/status$/.exec(path)?.[1];
    const number = Array.from({ length: STATION_COUNT }, (_, i) => stationCode(i + 1)).indexOf(code ?? '');
    if (number < 0) return { status: 404, body: { message: `no station ${code ?? path}` } };
    const minute = Math.floor(clock().getTime() / 60_000);
    // Each station moves in its own minutes; in the others it says what it said before.
    const bikes = new Random(number * 1009 + Math.floor((minute + number) / 7)).whole(0, DOCKS);
    return { status: 200, body: { station: code, bikes, free: DOCKS - bikes, locked: number % 19 === 3 } };
  });
}
