import { Random } from '../random.ts';

const FIRST = [
  'Ada',
  'Bram',
  'Cleo',
  'Dorn',
  'Elke',
  'Finn',
  'Gwen',
  'Hale',
  'Iris',
  'Joss',
  'Kaya',
  'Lorn',
  'Mira',
  'Nils',
  'Orla',
  'Piet',
  'Runa',
  'Sven',
  'Tilda',
  'Wren',
];
const LAST = [
  'Ashdown',
  'Birchall',
  'Crowhurst',
  'Dunmore',
  'Elmsley',
  'Fernby',
  'Garrick',
  'Holloway',
  'Ivers',
  'Kestrel',
  'Lockhart',
  'Marlowe',
  'Northcott',
  'Oakes',
  'Pemberly',
  'Quill',
  'Ravenscar',
  'Selwood',
  'Thornby',
  'Wexford',
];
export const PLANS = ['MONTHLY', 'YEARLY', 'DAY', 'STUDENT'] as const;
const TOWNS = ['Larkway', 'Tidebridge', 'Millbeck', 'Stonefold'];

export interface Member {
  readonly id: string;
  external_no: string;
  first_name: string;
  last_name: string;
  email: string;
  plan: string;
  country: string;
  joined_on: string;
  active: boolean;
  address: { street: string; town: string };
  phones: { kind: string; number: string }[];
}

/** The `n`th member (1-based); always the same for the same seed. */
export function member(n: number): Member {
  const random = new Random(90_001 + n * 7);
  const first = random.pick(FIRST);
  const last = random.pick(LAST);
  const joined = new Date(Date.UTC(2017, 0, 1) + random.whole(0, 3500) * 86_400_000).toISOString().slice(0, 10);
  return {
    id: `m-${String(n).padStart(6, '0')}`,
    external_no: `L${String(n).padStart(7, '0')}`,
    first_name: first,
    last_name: last,
    email: `${first}.${last}.${n}@example.org`.toLowerCase(),
    plan: random.pick(PLANS),
    country: 'GB',
    joined_on: joined,
    active: random.next() < 0.93,
    address: { street: `${random.whole(1, 180)} ${random.pick(LAST)} Road`, town: random.pick(TOWNS) },
    phones: Array.from({ length: random.whole(0, 2) }, (_, i) => ({
      kind: i === 0 ? 'mobile' : 'home',
      number: `01632 96${String(random.whole(0, 9999)).padStart(4, '0')}`,
    })),
  };
}
