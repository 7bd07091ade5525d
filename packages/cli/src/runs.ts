import type { RunDetail, RunSummary } from '@versicle/contract';
import { counted, Fault } from '@versicle/core';
import { parseArgs } from 'node:util';
import { ask, noSuch, onlyOne, REMOTE_OPTIONS, remoteOf, Unreached, type Remote } from './remote.ts';

const WORDS = ['list', 'show', 'follow', 'cancel', 'pause', 'resume'] as const;
/** States in which a run is over, or waits for a person. */
const STANDS = new Set(['finished', 'cancelled', 'stopped', 'broken', 'asks', 'left out']);
/** How long an address may be silent while a run is followed. */
const SILENT_SECONDS = 120;

/** `versicle runs list | show ID | follow ID | cancel ID | pause ID | resume ID`. */
export async function runs(argv: string[], print: (text: string) => void): Promise<number> {
  const { values, positionals } = parseArgs({
    args: argv,
    allowPositionals: true,
    options: { ...REMOTE_OPTIONS, plan: { type: 'string' }, state: { type: 'string' }, limit: { type: 'string' } },
  });
  const [what, ...rest] = positionals;
  if (!WORDS.includes(what as (typeof WORDS)[number])) throw noSuch('runs', what, WORDS);
  const remote = remoteOf(values);
  if (what === 'list') {
    const query = new URLSearchParams();
    for (const name of ['plan', 'state', 'limit'] as const)
      if (values[name] !== undefined) query.set(name, values[name]);
    const found = await ask<RunSummary[]>(remote, 'GET', `/runs?${query}`);
    if (values.json) print(JSON.stringify(found));
    else
      for (const run of found) print(`${run.id}\t${run.state}\t${run.planName}\t${run.createdAt}\t${countsText(run)}`);
    return 0;
  }
  const id = runNumber(onlyOne(rest, `the run by its number: versicle runs ${what} ID`));
  if (what === 'follow') return follow(remote, id, values.json ?? false, print);
  if (what !== 'show') await ask(remote, 'POST', `/runs/${id}/${what}`);
  const run = await ask<RunDetail>(remote, 'GET', `/runs/${id}`);
  print(values.json ? JSON.stringify(run) : runText(run));
  return what === 'show' ? outcome(run) : 0;
}

function runNumber(text: string): number {
  if (!/^[1-9]\d{0,9}$/.test(text)) throw new Fault('input', `“${text}” is not the number of a run.`);
  return Number(text);
}

/** Until the run stands; says what is new as it goes on. Also where the server is restarted meanwhile. */
export async function follow(
  remote: Remote,
  id: number,
  json: boolean,
  print: (text: string) => void,
): Promise<number> {
  let told = 0;
  let silentSince: number | null = null;
  for (let wait = 100; ; wait = Math.min(2000, wait * 1.3)) {
    try {
      const run = await ask<RunDetail>(remote, 'GET', `/runs/${id}`);
      silentSince = null;
      // The answer has the newest lines; told ones may be among them, or more may have come than it has.
      const before = run.logLines - run.log.length;
      if (!json && before > told) print(`… ${before - told} lines; ${remote.server}/api/runs/${id}/log.txt has all`);
      if (!json) for (const { at, message } of run.log.slice(Math.max(0, told - before))) print(`${at} ${message}`);
      if (run.logLines > told) wait = 100;
      told = run.logLines;
      if (STANDS.has(run.state)) {
        print(json ? JSON.stringify(run) : runText(run));
        return outcome(run);
      }
    } catch (error) {
      if (!(error instanceof Unreached)) throw error;
      silentSince ??= Date.now();
      if (Date.now() - silentSince > SILENT_SECONDS * 1000) throw error;
    }
    await new Promise((resolve) => setTimeout(resolve, wait));
  }
}

/** 0: ended well; 3: records failed; 1: anything else. */
export function outcome(run: Pick<RunSummary, 'state' | 'counts'>): number {
  if (run.state !== 'finished') return 1;
  return run.counts.failed > 0 ? 3 : 0;
}

const COUNTS = ['filtered', 'skipped', 'unchanged', 'unmatched', 'failed', 'waiting', 'delivered'] as const;
/** Only shares have unmatched records. */
const countsText = ({ counts }: Pick<RunSummary, 'counts'>): string =>
  `read ${counts.read} = ${COUNTS.filter((name) => name !== 'unmatched' || counts[name] > 0)
    .map((name) => `${name} ${counts[name]}`)
    .join(' + ')}`;
function runText(run: RunDetail): string {
  const lines = [`run ${run.id} of ${run.planName}: ${run.state}`, countsText(run)];
  for (const step of run.steps)
    for (const r of step.runs) lines.push(`${'  '.repeat(step.depth + 1)}${step.id}: ${r.state}, ${countsText(r)}`);
  if (run.gone !== null && run.gone.done > 0)
    lines.push(`${counted(run.gone.done, 'record')} gone from the source: ${run.gone.how}`);
  if (run.error !== null) lines.push(run.error);
  return lines.join('\n');
}
