import type { CauseGroup, RunSummary } from '@versicle/contract';
import { counted, type PlanDocument } from '@versicle/core';

export type TellOn = PlanDocument['tell'][number]['on'][number];
export interface Message {
  readonly subject: string;
  readonly body: string;
}
/** What there is to say of the end of a run. `stillOpen`: failed records of its mappings that are in the way. */
export interface EndOfRun {
  readonly plan: string;
  readonly run: RunSummary;
  /** The causes of what failed, the largest first. */
  readonly causes: readonly CauseGroup[];
  readonly stillOpen: number;
  /** Where links lead to. */
  readonly base: string;
}

const figure = (n: number): string => n.toLocaleString('en-GB');
const moment = (at: string | null): string =>
  at === null
    ? 'now'
    : `${new Intl.DateTimeFormat('en-GB', { dateStyle: 'long', timeStyle: 'short', timeZone: 'UTC' }).format(new Date(at))} UTC`;

/** How a run ended, in one line for people who are told. */
function endLine({ run }: EndOfRun): string {
  const { read, delivered, unchanged, unmatched, failed, skipped, filtered } = run.counts;
  const parts = [
    `${figure(read)} read`,
    `${figure(delivered)} delivered`,
    ...(unchanged > 0 ? [`${figure(unchanged)} unchanged`] : []),
    ...(filtered > 0 ? [`${figure(filtered)} filtered`] : []),
    ...(skipped > 0 ? [`${figure(skipped)} skipped`] : []),
    ...(unmatched > 0 ? [`${figure(unmatched)} taken by none`] : []),
    `${figure(failed)} failed`,
  ];
  const how = run.state === 'finished' ? 'ended' : run.state === 'broken' ? 'broke off' : 'was stopped';
  return `Run ${run.id} ${how} on ${moment(run.finishedAt)}: ${parts.join(', ')}.`;
}
function causeLine({ count, line, lineNumber, label, mappingName, message }: CauseGroup): string {
  const where = lineNumber !== null ? `line ${lineNumber} ${label}: ` : line !== null ? 'a check: ' : '';
  return `- ${counted(count, 'record')} of ${mappingName}, ${where}${message}`;
}
const CAUSES = 3;
function causeLines(causes: readonly CauseGroup[]): string[] {
  const more = causes.length - CAUSES;
  return [...causes.slice(0, CAUSES).map(causeLine), ...(more > 0 ? [`- and ${counted(more, 'more cause')}`] : [])];
}

/** `times`: how many runs in a row it happened in, this one included. */
export function messageOf(kind: TellOn, times: number, end: EndOfRun): Message {
  const { plan, run, causes, base } = end;
  const link = `${base}/runs/${run.id}`;
  const again = times > 1 ? [`This is the ${ordinal(times)} time since somebody was told first.`] : [];
  const text = (...lines: readonly string[]): string => `${[...lines, link].join('\n')}\n`;
  switch (kind) {
    case 'failed':
      return {
        subject: `${plan}: ${counted(run.counts.failed, 'record')} failed`,
        body: text(endLine(end), ...causeLines(causes), ...again, `${base}/failures?run=${run.id}`),
      };
    case 'stopped':
      return {
        subject: `${plan} ${run.state === 'broken' ? 'broke off' : 'was stopped'}`,
        body: text(endLine(end), ...(run.error === null ? [] : [run.error]), ...again),
      };
    case 'warnings':
      return {
        subject: `${plan}: ${counted(run.counts.remarks, 'remark')}`,
        body: text(endLine(end), 'Records went on, and there is something to be noted of them.', ...again),
      };
    case 'recovered':
      return {
        subject: `${plan} runs well again`,
        body: text(
          endLine(end),
          ...(end.stillOpen > 0 ? [`${counted(end.stillOpen, 'record')} of earlier runs still failed.`] : []),
        ),
      };
    default:
      return { subject: `${plan} has ended`, body: text(endLine(end), ...causeLines(causes)) };
  }
}
export function lateMessage(plan: string, id: string, why: string, base: string): Message {
  return { subject: `${plan} is late`, body: `${why}\n${base}/plans/${id}\n` };
}
function ordinal(n: number): string {
  const ending = n % 100 >= 11 && n % 100 <= 13 ? 'th' : (['th', 'st', 'nd', 'rd'][n % 10] ?? 'th');
  return `${figure(n)}${ending}`;
}
