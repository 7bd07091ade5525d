import { Random } from '../random.ts';

export const MEMBER_COUNT = 5200;
const FIRST = [
  'Aldo',
  'Brigid',
  'Cato',
  'Dilys',
  'Edda',
  'Fabe',
  'Greta',
  'Hovel',
  'Ines',
  'Jürgen',
  'Karlène',
  'Lotte',
  'Måns',
  'Nerys',
  'Oda',
  'Zoë',
];
const LAST = [
  'Ambler',
  'Bäcker',
  'Coldridge',
  'Dunn',
  'Eastlake',
  'Fenn',
  'Gørtz',
  'Hartwell',
  'Iverson',
  'Jarrow',
  'Kilbride',
  'Lœwe',
  'Marlowe',
  'Neville',
  'Ödman',
  'Tarn',
];
const TARIFFS = ['A', 'A', 'A', 'B', 'C', 'D', 'S'];

const two = (n: number): string => String(n).padStart(2, '0');

/**
 * `members.txt`: fixed width, no header, Windows-1252. Columns: number 6, name 24 (“Surname, Given”), birth 10 (dd.mm.yyyy),
 * joined 10 (00.00.0000 when nobody knows), tariff 1, balance 9 (minus behind), type 5, town 14.
 */
export function membersFile(seed: number): Buffer {
  const random = new Random(seed + 5200);
  const lines: string[] = [];
  let before = '';
  for (let i = 0; i < MEMBER_COUNT; i++) {
    const number = two(0) + String(4000 + i).padStart(4, '0');
    const balance = random.next() < 0.06 ? -random.next() * 20 : random.next() < 0.3 ? random.next() * 15 : 0;
    const line = [
      number,
      `${random.pick(LAST)}, ${random.pick(FIRST)}`.padEnd(24),
      `${two(random.whole(1, 28))}.${two(random.whole(1, 12))}.${random.whole(1948, 2009)}`,
      random.next() < 0.012
        ? '00.00.0000'
        : `${two(random.whole(1, 28))}.${two(random.whole(1, 12))}.${random.whole(2011, 2025)}`,
      i % 731 === 400 ? 'Z' : random.pick(TARIFFS),
      `${Math.abs(balance).toFixed(2)}${balance < 0 ? '-' : ' '}`.padStart(9),
      (random.next() < 0.008 ? 'STAFF' : '').padEnd(5),
      random.pick(['Tidebridge', 'Millbeck', 'Stonefold', 'Larkway']).padEnd(14),
    ].join('');
    // Some were entered twice.
    lines.push(i % 1300 === 650 ? before : line);
    before = line;
  }
  return windows1252(`${lines.join('\r\n')}\r\n`);
}
/** The few characters that Windows-1252 has where Latin-1 has none. */
function windows1252(text: string): Buffer {
  return Buffer.from(text.replace(/œ/g, '\u009c').replace(/Œ/g, '\u008c').replace(/€/g, '\u0080'), 'latin1');
}
