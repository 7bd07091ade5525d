import { breath } from '../breath.ts';

/** An answer that is JSON already: kept or made so elsewhere, and handed on as it is. */
export class Written<T> {
  constructor(readonly json: string) {}

  /** For who looks into it. */
  read(): T {
    return JSON.parse(this.json) as T;
  }
}

/** Elements of a list that are written in one piece; of more, others are answered between. */
const PIECE = 2000;

/** As JSON; where it holds a long list, piece by piece, since tens of thousands of fields take long enough for others to wait. */
export async function write(answer: object): Promise<string> {
  if (!Object.values(answer).some(isLong)) return JSON.stringify(answer);
  if (Array.isArray(answer)) return writeList(answer);
  const members: string[] = [];
  for (const [name, value] of Object.entries(answer) as [string, unknown][]) {
    if (value === undefined) continue;
    members.push(`${JSON.stringify(name)}:${isLong(value) ? await writeList(value) : JSON.stringify(value)}`);
  }
  return `{${members.join(',')}}`;
}
const isLong = (value: unknown): value is readonly unknown[] => Array.isArray(value) && value.length > PIECE;
async function writeList(list: readonly unknown[]): Promise<string> {
  const pieces: string[] = [];
  for (let at = 0; at < list.length; at += PIECE) {
    if (at > 0) await breath();
    pieces.push(JSON.stringify(list.slice(at, at + PIECE)).slice(1, -1));
  }
  return `[${pieces.join(',')}]`;
}

/** An answer of which one member is JSON already. */
export const writtenWith = <T extends object, K extends keyof T & string>(
  answer: Omit<T, K>,
  member: K,
  json: string,
): Written<T> => new Written<T>(`${JSON.stringify(answer).slice(0, -1)},${JSON.stringify(member)}:${json}}`);
