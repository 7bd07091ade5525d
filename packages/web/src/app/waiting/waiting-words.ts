import type { ChangedWaiting, ChangeWaiting, WaitingForSystem, WaitingRecord } from '@versicle/contract';
import { capital, figure, inWords, timeWords } from '../shared/words';

export const STATE_WORDS: Readonly<Record<WaitingRecord['state'], string>> = {
  waits: $localize`waits for its turn`,
  held: $localize`held`,
  behind: $localize`behind one that is held`,
  sent: $localize`sent, no answer yet`,
  run: $localize`its run stands still`,
};

/** “1,240 records wait, two of them held. Its window opens today 22:00:00; all are sent about today 23:40:12.” */
export function waitingWords({ waiting, held, opens, until }: WaitingForSystem): string {
  if (waiting === 0) return $localize`Nothing waits.`;
  const all = `${capital(inWords(waiting, $localize`record`, $localize`records`))} ${waiting === 1 ? $localize`waits` : $localize`wait`}`;
  const ofThem =
    held === 0
      ? ''
      : held === waiting
        ? $localize`, held`
        : $localize`, ${inWords(held, $localize`of them`, $localize`of them`)} held`;
  const parts = [
    ...(opens === null ? [] : [$localize`its window opens ${timeWords(opens)}`]),
    ...(until === null || held === waiting
      ? []
      : [$localize`${held === 0 ? $localize`all` : $localize`the others`} are sent about ${timeWords(until)}`]),
  ];
  return `${all}${ofThem}.${parts.length === 0 ? '' : ` ${capital(parts.join('; '))}.`}`;
}

/** Its values in a line; those that have none are left out. */
export const valuesLine = ({ values }: WaitingRecord): string =>
  values.flatMap(({ name, value }) => (value === null ? [] : [`${name} ${value}`])).join(' · ');

const DONE: Readonly<Record<ChangeWaiting['act'], string>> = {
  hold: 'held',
  'let go': $localize`let go`,
  first: $localize`sent first`,
  skip: $localize`skipped; the reason is kept with them`,
};
/** “Three records are held. Two were sent before.” */
export function changedWords(act: ChangeWaiting['act'], { done, gone }: ChangedWaiting): string {
  const they = `${capital(inWords(done, $localize`record`, $localize`records`))} ${done === 1 ? $localize`is` : $localize`are`} ${DONE[act]}.`;
  return gone === 0
    ? they
    : $localize`${they} ${figure(gone)} ${gone === 1 ? $localize`was` : $localize`were`} sent before that could be done.`;
}
