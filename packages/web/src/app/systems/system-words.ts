import type { LearnedStructure, System } from '@versicle/contract';
import { capital, durationWords, firstOf, inWords, numberWords, timeWords } from '../shared/words';

const STATES: Readonly<Record<string, string>> = {
  name_not_found: 'host not found',
  refused: 'refused',
  timed_out: 'timed out',
  tls_not_trusted: 'certificate not trusted',
  not_authorised: 'not authorised',
  not_permitted: 'not permitted',
  no_such_database: 'no such database',
  no_such_folder: 'no such folder',
  no_such_path: 'no such path',
  not_a_folder: 'not a folder',
  unexpected_answer: 'answers unexpectedly',
  forbidden_address: 'address not allowed',
  too_fast: 'asks to slow down',
};
/** “answers in 12 ms”, “refused since today 06:12:00”. */
export function stateWords({ diagnosis, stateSince }: Pick<System, 'diagnosis' | 'stateSince'>): string {
  if (diagnosis === null) return 'not tested yet';
  if (diagnosis.ok) return `answers in ${durationWords(diagnosis.millis)}`;
  return `${STATES[diagnosis.code] ?? 'does not answer'} since ${timeWords(stateSince ?? diagnosis.at)}`;
}

const SHOWN_FIELDS = 6;
/** “Learned from all 120,001 records; two fields more: late, tags/value.” */
export function learnedWords({ records, unread, added }: Omit<LearnedStructure, 'detail'>): string {
  const from = `Learned from ${records === 1 ? 'its one record' : `all ${inWords(records, 'record')}`}`;
  const found =
    added.length === 0
      ? `nothing in ${records === 1 ? 'it' : 'them'} is new`
      : `${inWords(added.length, 'field')} more: ${firstOf(added, SHOWN_FIELDS)}`;
  const left =
    unread === 0
      ? ''
      : ` ${capital(numberWords(unread))} can’t be read, and nothing was learned from ${unread === 1 ? 'it' : 'them'}.`;
  return `${from}; ${found}.${left}`;
}
