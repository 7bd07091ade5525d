import { Actions, ofType } from '@ngrx/effects';
import { createAction, props, type Action, type Store } from '@ngrx/store';
import { BehaviorSubject, Subject } from 'rxjs';
import { frameActions } from '../frame/frame.feature';
import { type Api, ServerProblem } from './api';
import { request, type Strategy } from './request';

const ask = createAction('ask', props<{ id: number }>());
const came = createAction('came', props<{ id: number; answer: unknown }>());
const missed = createAction('missed', props<{ problem: string }>());
const changed = createAction('changed');

/** An effect with answers that are given by hand. */
function made(strategy: Strategy, route: 'getRun' | 'cancelRun' = 'getRun') {
  const actions = new Subject<Action>();
  const answers: Subject<unknown>[] = [];
  const asked: unknown[] = [];
  const api = {
    call: (_: string, call: unknown) => {
      const answer = new Subject<unknown>();
      answers.push(answer);
      asked.push(call);
      return answer;
    },
  } as unknown as Api;
  const state = new BehaviorSubject({ factor: 1 });
  const store = {
    select: (select: (root: object) => unknown) => new BehaviorSubject(select(state.value)),
  } as unknown as Store;
  const out: Action[] = [];
  const effect = request(ask, route, strategy, {
    from: (root) => (root as { factor: number }).factor,
    call: ({ id }, factor) => (id < 0 ? null : { params: { id: id * factor } }),
    done: (answer, { id }) => (answer === null ? null : came({ id, answer })),
    failed: (problem) => missed({ problem }),
    until: (all) => all.pipe(ofType(changed)),
  });
  effect(new Actions(actions), api, store).subscribe((action) => out.push(action));
  return { actions, answers, asked, out, state };
}
const answer = (subject: Subject<unknown>, value: unknown): void => {
  subject.next(value);
  subject.complete();
};

describe('a request', () => {
  it('newest: only the last answer counts', () => {
    const { actions, answers, out } = made('newest');
    actions.next(ask({ id: 1 }));
    actions.next(ask({ id: 2 }));
    answer(answers[0]!, 'old');
    answer(answers[1]!, 'new');
    expect(out).toEqual([came({ id: 2, answer: 'new' })]);
  });
  it('newest: what asks nothing takes no answer away that is on its way', () => {
    const { actions, answers, out } = made('newest');
    actions.next(ask({ id: 1 }));
    actions.next(ask({ id: -1 }));
    answer(answers[0]!, 'it');
    expect(out).toEqual([came({ id: 1, answer: 'it' })]);
  });
  it('in turn: the next is asked after the answer, with what the store says then', () => {
    const { actions, answers, asked, out, state } = made('in turn', 'cancelRun');
    actions.next(ask({ id: 1 }));
    actions.next(ask({ id: 2 }));
    expect(asked).toEqual([{ params: { id: 1 } }]);
    state.next({ factor: 10 });
    answer(answers[0]!, 'a');
    expect(asked).toEqual([{ params: { id: 1 } }, { params: { id: 20 } }]);
    answer(answers[1]!, 'b');
    expect(out).toEqual([came({ id: 1, answer: 'a' }), came({ id: 2, answer: 'b' })]);
  });
  it('once: nothing is asked while one is on its way; each: all are', () => {
    const once = made('once', 'cancelRun');
    once.actions.next(ask({ id: 1 }));
    once.actions.next(ask({ id: 2 }));
    expect(once.asked).toHaveLength(1);
    answer(once.answers[0]!, 'a');
    once.actions.next(ask({ id: 3 }));
    expect(once.asked).toHaveLength(2);
    const each = made('each');
    each.actions.next(ask({ id: 1 }));
    each.actions.next(ask({ id: 2 }));
    answer(each.answers[1]!, 'b');
    answer(each.answers[0]!, 'a');
    expect(each.out.map((a) => (a as ReturnType<typeof came>).id)).toEqual([2, 1]);
  });
  it('asks nothing and says nothing where there is nothing', () => {
    const { actions, answers, asked, out } = made('newest');
    actions.next(ask({ id: -1 }));
    expect(asked).toEqual([]);
    actions.next(ask({ id: 1 }));
    answer(answers[0]!, null);
    expect(out).toEqual([]);
  });
  it('says what went wrong, and goes on', () => {
    const { actions, answers, out } = made('in turn');
    actions.next(ask({ id: 1 }));
    answers[0]!.error(new ServerProblem('There is no run 1.', 404));
    actions.next(ask({ id: 2 }));
    answer(answers[1]!, 'b');
    expect(out).toEqual([missed({ problem: 'There is no run 1.' }), came({ id: 2, answer: 'b' })]);
  });
  it('reads again when the server is there again; what changes something is never sent twice by itself', () => {
    const reading = made('newest');
    reading.actions.next(ask({ id: 1 }));
    reading.answers[0]!.error(new ServerProblem('The server does not answer.', 0));
    expect(reading.out).toHaveLength(1);
    reading.actions.next(frameActions.connected());
    answer(reading.answers[1]!, 'there');
    expect(reading.out.at(-1)).toEqual(came({ id: 1, answer: 'there' }));
    const changing = made('newest', 'cancelRun');
    changing.actions.next(ask({ id: 1 }));
    changing.answers[0]!.error(new ServerProblem('The server does not answer.', 0));
    changing.actions.next(frameActions.connected());
    expect(changing.asked).toHaveLength(1);
  });
  it('drops an answer that something made older', () => {
    const { actions, answers, out } = made('newest');
    actions.next(ask({ id: 1 }));
    actions.next(changed());
    answer(answers[0]!, 'old');
    expect(out).toEqual([]);
  });
});
