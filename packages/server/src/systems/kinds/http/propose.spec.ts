import { endpoint } from '@versicle/contract';
import { parseJsonTree, type Tree } from '@versicle/core';
import { judge } from './judge.ts';
import { propose } from './propose.ts';

const RECORDS = parseJsonTree('[{"no":"a7"},{"no":"b8"},{"no":"c9"}]') as Tree[];
const setting = (patch: object) => endpoint.parse({ path: '/x', write: { path: '/x', batch: 3, ...patch } }).write!;

describe('the form of an answer is proposed from a real one', () => {
  it.each([
    ['places from 0', 207, { errors: [{ index: 1, message: 'no' }] }],
    ['places from 1', 207, { faults: [{ row: 2, reason: 'no' }] }],
    ['ids', 200, { report: { failed: [{ ref: 'b8', why: 'no' }] } }],
    ['pointers', 207, { errors: [{ pointer: '/items/1/no', detail: 'no' }] }],
    ['results', 207, { data: [{ status: 201 }, { status: 422, message: 'no' }, { status: 201 }] }],
    ['results in words', 200, { out: [{ state: 'created' }, { state: 'rejected' }, { state: 'created' }] }],
  ])('%s: the same answer is then read as what it says', (_what, status, body) => {
    const answer = { status, headers: {}, text: JSON.stringify(body), url: 'http://x' };
    const proposal = propose(answer, RECORDS, 1)!;
    const judged = judge(answer, setting(proposal.patch), 3, (id) => {
      const at = ['a7', 'b8', 'c9'].indexOf(id);
      return at < 0 ? null : at;
    });
    expect(judged).toMatchObject({ kind: 'judged', refused: [{ at: 1 }] });
  });
  it('knows a member that means success, and a status; and proposes nothing where nothing shows', () => {
    const of = (status: number, body: unknown) =>
      propose({ status, headers: {}, text: JSON.stringify(body), url: 'http://x' }, RECORDS.slice(0, 1), 0);
    expect(of(200, { success: false, message: 'no' })?.patch).toMatchObject({ answer: 'success', success: 'success' });
    expect(of(422, { message: 'no' })?.patch).toEqual({ answer: 'status' });
    expect(of(200, { done: 1 })).toBeNull();
  });
});
