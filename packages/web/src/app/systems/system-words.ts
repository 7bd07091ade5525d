import type { LearnedStructure, System } from '@versicle/contract';
import { capital, durationWords, firstOf, inWords, numberWords, timeWords } from '../shared/words';

const STATES: Readonly<Record<string, string>> = {
  name_not_found: $localize`host not found`,
  refused: $localize`refused`,
  timed_out: $localize`timed out`,
  tls_not_trusted: $localize`certificate not trusted`,
  not_authorised: $localize`not authorised`,
  not_permitted: $localize`not permitted`,
  no_such_database: $localize`no such database`,
  no_such_folder: $localize`no such folder`,
  no_such_path: $localize`no such path`,
  not_a_folder: $localize`not a folder`,
  unexpected_answer: $localize`answers unexpectedly`,
  forbidden_address: $localize`address not allowed`,
  too_fast: $localize`asks to slow down`,
};
/** “answers in 12 ms”, “refused since today 06:12:00”. */
export function stateWords({ diagnosis, stateSince }: Pick<System, 'diagnosis' | 'stateSince'>): string {
  if (diagnosis === null) return $localize`not tested yet`;
  if (diagnosis.ok) return $localize`answers in ${durationWords(diagnosis.millis)}`;
  return $localize`${STATES[diagnosis.code] ?? $localize`does not answer`} since ${timeWords(stateSince ?? diagnosis.at)}`;
}

const SHOWN_FIELDS = 6;
/** “Learned from all 120,001 records; two fields more: late, tags/value.” */
export function learnedWords({ records, unread, added }: Omit<LearnedStructure, 'detail'>): string {
  const from = $localize`Learned from ${records === 1 ? $localize`its one record` : $localize`all ${inWords(records, $localize`record`, $localize`records`)}`}`;
  const found =
    added.length === 0
      ? $localize`nothing in ${records === 1 ? $localize`it` : $localize`them`} is new`
      : $localize`${inWords(added.length, $localize`field`, $localize`fields`)} more: ${firstOf(added, SHOWN_FIELDS)}`;
  const left =
    unread === 0
      ? ''
      : $localize` ${capital(numberWords(unread))} can’t be read, and nothing was learned from ${unread === 1 ? $localize`it` : $localize`them`}.`;
  return `${from}; ${found}.${left}`;
}
