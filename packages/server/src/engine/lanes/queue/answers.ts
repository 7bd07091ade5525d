import type { Database, Statement } from '@versicle/postgres';
import type { Answer } from '../../../systems/kinds/kind.ts';

/** Answers that are kept of a target. */
const KEPT = 100;
/** Milliseconds for which answers are gathered before they are kept. */
const GATHERED = 500;

interface Heard extends Answer {
  readonly target: string;
  readonly run: number;
}

/** What targets answered, kept a moment later: whoever looks sees the last ones, and how much was sent for each run. */
export class Answers {
  private heardSince: Heard[] = [];
  private timer: NodeJS.Timeout | null = null;
  private keeping: Promise<void> = Promise.resolve();

  constructor(private readonly db: Database) {}

  heard(target: string, run: number, answer: Answer): void {
    this.heardSince.push({ ...answer, target, run });
    this.timer ??= setTimeout(() => void this.keep(), GATHERED);
  }
  /** Keeps what was heard so far. */
  async keep(): Promise<void> {
    if (this.timer !== null) clearTimeout(this.timer);
    this.timer = null;
    const heard = this.heardSince;
    this.heardSince = [];
    if (heard.length > 0)
      this.keeping = this.keeping
        .then(() => this.db.transaction(statements(heard)))
        .then(
          () => undefined,
          (error: Error) => void process.stderr.write(`What targets answered could not be kept: ${error.message}\n`),
        );
    await this.keeping;
  }
}

function statements(heard: readonly Heard[]): Statement[] {
  const targets = [...new Set(heard.map((h) => h.target))];
  const newest = targets.flatMap((target) => heard.filter((h) => h.target === target).slice(-KEPT));
  const runs = new Map<number, { requests: number; bytes: number }>();
  for (const { run, bytes } of heard) {
    const known = runs.get(run) ?? { requests: 0, bytes: 0 };
    runs.set(run, { requests: known.requests + 1, bytes: known.bytes + bytes });
  }
  return [
    {
      sql: `INSERT INTO target_answer (target, run, at, asked, status, millis, message)
            SELECT target, run, at, asked, status, millis, message
              FROM json_to_recordset($1::json) AS r (target text, run integer, at timestamptz, asked text, status integer, millis integer, message text)`,
      params: [JSON.stringify(newest)],
    },
    ...targets.map((target) => ({
      sql: 'DELETE FROM target_answer WHERE target = $1 AND id <= (SELECT id FROM target_answer WHERE target = $1 ORDER BY id DESC OFFSET $2 LIMIT 1)',
      params: [target, KEPT],
    })),
    {
      sql: `UPDATE run SET requests = run.requests + s.requests, bytes_sent = run.bytes_sent + s.bytes
              FROM json_to_recordset($1::json) AS s (run integer, requests bigint, bytes bigint) WHERE id = s.run`,
      params: [JSON.stringify([...runs].map(([run, sent]) => ({ run, ...sent })))],
    },
  ];
}
