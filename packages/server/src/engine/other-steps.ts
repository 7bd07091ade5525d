import { bindPlaces, fillPlaces, refused } from '@versicle/core';
import {
  carriedBy,
  startOf,
  variablesOf,
  type Claim,
  type RequestStep,
  type RunRow,
  type Runs,
  type SqlStep,
} from '../runs/runs.ts';
import type { UnderWay } from './under-way.ts';
import { NothingDone } from '../systems/outage.ts';
import type { Systems } from '../systems/systems.ts';

/** What is kept of an answer. */
const KEPT = 2000;
const WHOSE = 'of the plan';

/** A value as one part of a path. */
function partOfPath(value: string): string {
  if (value === '.' || value === '..') throw refused(`“${value}” is no part of an address.`);
  return encodeURIComponent(value);
}

/** Steps that move no records: a statement in a database, a request to an API. */
export class OtherSteps {
  constructor(
    private readonly runs: Runs,
    private readonly systems: Systems,
  ) {}

  async run(
    claim: Claim,
    row: RunRow,
    { signal, requireHeld }: Pick<UnderWay, 'signal' | 'requireHeld'>,
  ): Promise<void> {
    const step = carriedBy(row) as SqlStep | RequestStep;
    const wasUnderWay = row.state === 'running';
    await this.runs.beginStep(claim);
    requireHeld();
    const message =
      step.kind === 'sql' ? await this.sql(row, step, signal) : await this.request(row, step, signal, wasUnderWay);
    await this.runs.end(claim, { state: 'finished', message });
  }

  private async sql(row: RunRow, step: SqlStep, signal: AbortSignal): Promise<string> {
    const { system, name } = await this.systems.openById(step.system);
    if (!system.carryOut) throw refused(`${name} takes no statements; choose a database.`);
    const { sql, params } = bindPlaces(step.sql, startOf(row), variablesOf(row), WHOSE);
    await this.runs.log(row.id, sql.length > KEPT ? `${sql.slice(0, KEPT)} …` : sql);
    return system.carryOut({ sql, params, uid: row.uid!, signal });
  }

  private async request(row: RunRow, step: RequestStep, signal: AbortSignal, wasUnderWay: boolean): Promise<string> {
    const { system, name } = await this.systems.openById(step.system);
    if (!system.request) throw refused(`${name} takes no requests; choose an API.`);
    const { method } = step;
    if (wasUnderWay && method !== 'GET')
      throw refused(
        `${method} ${step.path} was being sent when Versicle was cut off, and its answer never came: it may have arrived. Look there; taken up again, it is sent once more.`,
      );
    const fill = (text: string, value: (of: string) => string): string =>
      fillPlaces(text, startOf(row), new Map([...variablesOf(row)].map(([k, v]) => [k, value(v)])), WHOSE);
    const path = fill(step.path, partOfPath);
    // Within a body of JSON a value stands as JSON writes it.
    const body =
      step.body === undefined
        ? null
        : fill(step.body, (v) => (/^\s*</.test(step.body!) ? v : JSON.stringify(v).slice(1, -1)));
    await this.runs.log(row.id, `${method} ${path}`);
    try {
      const { status, text } = await system.request({ method, path, body, id: row.uid! }, signal);
      await this.runs.log(
        row.id,
        `answer ${status}${text === '' ? '' : `: ${text.slice(0, KEPT)}${text.length > KEPT ? ' …' : ''}`}`,
      );
      if (status >= 400)
        throw refused(`${name} answers ${method} ${path} with status ${status}: ${text.slice(0, 200)}`);
      return `${method} ${path} was answered with status ${status}`;
    } catch (error) {
      if (error instanceof NothingDone || signal.aborted || method === 'GET') throw error;
      if ((error as { code?: unknown }).code === 'refused') throw error;
      throw refused(
        `${method} ${path} was sent to ${name}, and no answer came (${(error as Error).message}): it may have arrived. Look there; taken up again, it is sent once more.`,
      );
    }
  }
}
