import { createReadStream, createWriteStream } from 'node:fs';
import { once } from 'node:events';
import { readerFor, readRows, sniffFormat, Unreadable } from '../packages/core/src/index.ts';
import { TARGET, TARIFFS } from './data.ts';

/**
 * The floor of benchmark (a): our scanner, the same twelve rules written by hand in JavaScript (with binary floating point,
 * for speed), the key check, the same writer's cells.
 */
export async function floor(path: string, out: string): Promise<number> {
  const { format } = sniffFormat(new TextEncoder().encode(await firstBytes(path)), path);
  const stream = createWriteStream(out);
  const seen = new Set<string>();
  let text = `${TARGET.map((f) => (f as { name: string }).name).join(',')}\n`;
  let rows = 0;
  const chunks = createReadStream(path, { highWaterMark: 256 * 1024 }) as AsyncIterable<Uint8Array>;
  for await (const batch of readRows(chunks, readerFor(format, null))) {
    for (const row of batch.rows) {
      if (row instanceof Unreadable) continue;
      rows++;
      const [id, bike, started, ended, from, to, member, miles, fare, tariff, rating, name] = row as string[];
      if (id === null || seen.has(id!) || id!.length > 10) continue;
      seen.add(id!);
      const bikeId = `TB-${String(whole(bike!) - 7500).padStart(4, '0')}`;
      const route = `${from!.slice(2)}>${to!.slice(2)}`;
      const begin = stamp(started!);
      const minutes = (stamp(ended!) - begin) / 60000;
      const km = Math.round(decimal(miles!) * 1.609344 * 100) / 100;
      const price = decimal(fare!);
      const kind = TARIFFS[tariff as keyof typeof TARIFFS];
      if (kind === undefined) throw new Error('no such tariff');
      const stars = rating === null ? null : whole(rating!);
      const last = name!.split(', ')[0]!.toUpperCase();
      text += `${cell(id!)},${cell(bikeId)},${cell(route)},${member === null ? '' : cell(member!)},${member === null ? 'guest' : 'member'},${iso(begin)},${minutes},${km.toFixed(2)},${price.toFixed(2)},${cell(kind)},${stars === null ? '' : stars},${cell(last)}\n`;
    }
    if (text.length > 262_144) {
      if (!stream.write(text)) await once(stream, 'drain');
      text = '';
    }
  }
  stream.end(text);
  await once(stream, 'finish');
  return rows;
}

async function firstBytes(path: string): Promise<string> {
  for await (const chunk of createReadStream(path, { end: 65535 }) as AsyncIterable<Buffer>) return chunk.toString();
  return '';
}
const NEEDS_QUOTES = /[",\r\n]/;
function cell(text: string): string {
  return NEEDS_QUOTES.test(text) ? `"${text.replace(/"/g, '""')}"` : text;
}
function whole(text: string): number {
  if (!/^\d+$/.test(text)) throw new Error('not a number');
  return Number(text);
}
const DECIMAL = /^([+-]?)(\d+)(?:,(\d+))?(-?)$/;
function decimal(text: string): number {
  const m = DECIMAL.exec(text);
  if (!m) throw new Error('not a number');
  const value = Number(`${m[2]}.${m[3] ?? '0'}`);
  return m[1] === '-' || m[4] === '-' ? -value : value;
}
const STAMP = /^(\d\d)\.(\d\d)\.(\d{4}) (\d\d):(\d\d)$/;
function stamp(text: string): number {
  const m = STAMP.exec(text);
  if (!m) throw new Error('not a date');
  const [day, month, year, hour, minute] = [Number(m[1]), Number(m[2]), Number(m[3]), Number(m[4]), Number(m[5])];
  if (month < 1 || month > 12 || day < 1 || day > 31 || hour > 23 || minute > 59) throw new Error('not a date');
  return Date.UTC(year, month - 1, day, hour, minute);
}
const two = (n: number): string => (n < 10 ? `0${n}` : String(n));
function iso(millis: number): string {
  const d = new Date(millis);
  return `${d.getUTCFullYear()}-${two(d.getUTCMonth() + 1)}-${two(d.getUTCDate())} ${two(d.getUTCHours())}:${two(d.getUTCMinutes())}:${two(d.getUTCSeconds())}`;
}
