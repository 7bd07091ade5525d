import { Aborted, AbortedBefore, isFault, type Rejection } from '@versicle/core';
import { breath } from '../../../breath.ts';
import { isLostClaim, type Runs } from '../../../runs/runs.ts';
import type { Answer, Sending } from '../../../systems/kinds/kind.ts';
import { NothingDone, Outage, pause, WindowClosed } from '../../../systems/outage.ts';
import type { Systems } from '../../../systems/systems.ts';
import { AllAtOnce } from './all-at-once.ts';
import type { Answers } from './answers.ts';
import { InOrder } from './in-order.ts';
import type { Places } from './places.ts';
import { requireSender, type Outbox, type PartColumns, type SenderClaim, type WaitingRow } from './outbox.ts';
import { settleSent, type SentRow, type SentRun } from './settle-sent.ts';

/** Milliseconds between tries while a target takes nothing, where it can't be told how it is sent to. */
const LONGEST_PAUSE = 30_000;
/** Records that a sender has at hand. */
const PAGE = 500;
/** Requests that are answered and not settled yet, at the most, where they may be sent again. */
const MOST_UNSETTLED = 64;
/** Milliseconds after which a change of the target's settings holds for what is sent. */
const LOOK_AT_SETTINGS = 1000;

/** What senders work with. */
export interface SenderHouse {
  readonly outbox: Outbox;
  readonly runs: Runs;
  readonly systems: Systems;
  readonly leaseSeconds: number;
  /** Aborted when nothing more of a run may be sent, or the server stops. */
  readonly signalOf: (run: number) => AbortSignal;
  /** Aborted when the server stops. */
  readonly closing: AbortSignal;
  readonly places: Places;
  /** What targets answered, for whoever looks. */
  readonly answers: Answers;
  /** Records of a run were settled, or something came in their way. */
  readonly moved: (run: number) => void;
}
interface Answered {
  readonly run: SentRun;
  readonly sent: readonly SentRow[];
}

/**
 * Sends what waits for one target, in its order, with as many requests at a time as the target takes. Which records go with a
 * request is written down before it is sent; what answers say is settled in transactions, of as many as there are by then. It ends when nothing waits that may be sent.
 */
export class Sender {
  /** Somebody has put more into the outbox since it was looked at last. */
  again = false;
  /** What was put there may go before what is at hand. */
  first = false;
  private readonly rows = new InOrder();
  private readonly requests = new Map<number, { readonly run: number; readonly carried: Promise<void> }>();
  private readonly known = new Map<string, Promise<{ readonly run: SentRun; readonly of: PartColumns }>>();
  private claim: SenderClaim | null = null;
  private opened: { readonly at: number; readonly how: Promise<Sending> } | null = null;
  private isLost = false;
  /** Until when the claim holds, by this process's own clock. */
  private until = 0;
  private isOut = false;
  /** When the window opens, as runs were told; they were told nothing yet. */
  private toldOf: Date | null | undefined = undefined;
  private attempts = 0;
  private looking: Promise<unknown> = Promise.resolve();
  private readonly marks = new AllAtOnce((requests: readonly (readonly number[])[]) =>
    this.house.outbox.mark(this.claim!, requests),
  );
  private readonly answers = new AllAtOnce((answered: readonly Answered[]) => this.keepAll(answered));
  private unsettled = 0;
  private readonly system: string;

  constructor(
    private readonly target: string,
    private readonly house: SenderHouse,
  ) {
    this.system = target.slice(0, target.indexOf('/'));
  }

  async work(): Promise<void> {
    const { outbox, leaseSeconds, closing } = this.house;
    const asked = performance.now();
    this.claim = await outbox.claim(this.target);
    this.until = asked + leaseSeconds * 1000;
    if (this.claim === null) return;
    const claim = this.claim;
    const renewing = setInterval(() => void this.renew(claim), (leaseSeconds * 1000) / 3);
    renewing.unref();
    try {
      while (!closing.aborted && !this.isLost) {
        const pace = await this.pace();
        await this.look(pace.batch * pace.parallel);
        const opens = pace.opens(new Date());
        await this.tellOfWindow(opens);
        const rows = this.isLost || closing.aborted || opens !== null ? [] : this.rows.take(pace.batch);
        if (rows.length > 0) this.begin(rows);
        else if (opens !== null && this.rows.waiting > 0 && this.requests.size === 0)
          await pause(Math.min(LOOK_AT_SETTINGS, opens.getTime() - Date.now()), closing).catch(() => undefined);
        else if (this.requests.size + this.unsettled === 0) return;
        // What is under way, or not settled yet, may be what the next records of its keys wait for.
        else if (this.requests.size === 0) await this.answers.idle().then(() => breath());
        while (this.requests.size >= (rows.length > 0 ? pace.parallel : 1)) await this.oneEnds();
      }
    } finally {
      await Promise.allSettled([...this.requests.values()].map((r) => r.carried));
      await this.answers.idle();
      clearInterval(renewing);
      await outbox.release(claim);
    }
  }
  private begin(rows: readonly WaitingRow[]): void {
    const { id, run } = rows[0]!;
    const carried = this.carry(rows).finally(() => this.requests.delete(id));
    this.requests.set(id, { run, carried });
    carried.catch(() => undefined);
  }
  private async oneEnds(): Promise<void> {
    await Promise.race([...this.requests.values()].map((r) => r.carried));
  }
  /** Nothing more of a run is sent; until nothing of it is under way. */
  async without(run: number): Promise<void> {
    await this.looking;
    // What a look has found is under way a moment later, and what did not go well is at hand again.
    do {
      this.rows.drop(run);
      await breath();
      await Promise.allSettled([...this.requests.values()].filter((r) => r.run === run).map((r) => r.carried));
    } while (this.rows.has(run) || [...this.requests.values()].some((r) => r.run === run));
    await this.answers.idle();
  }
  private async renew(claim: SenderClaim): Promise<void> {
    const asked = performance.now();
    const held = await this.house.outbox.renew(claim).catch(() => null);
    if (held) this.until = asked + this.house.leaseSeconds * 1000;
    this.isLost ||= held === false;
  }

  /** How the target is sent to; its settings are looked at again after a while, or where something went wrong. */
  private sending(): Promise<Sending> {
    if (this.opened === null || Date.now() - this.opened.at > LOOK_AT_SETTINGS) {
      const how = this.house.systems.openDataset(this.target).then(({ system, dataset }) => {
        if (system.target?.lane !== 'queue')
          throw new Error(`${this.target} does not take records by request any more.`);
        return system.target.sending(dataset);
      });
      how.catch(() => undefined);
      this.opened = { at: Date.now(), how };
    }
    return this.opened.how;
  }
  /** What is wrong with the system itself is found out by whoever sends the next request, and said of its run. */
  private async pace(): Promise<Pick<Sending, 'batch' | 'parallel' | 'opens' | 'longestPause'>> {
    const unknown = { batch: 1, parallel: 1, opens: () => null, longestPause: LONGEST_PAUSE };
    return this.sending().catch(() => unknown);
  }
  /** Runs with waiting records are told when a window has closed, and when it is open again. */
  private async tellOfWindow(opens: Date | null): Promise<void> {
    const until = this.rows.waiting === 0 ? null : opens;
    if (this.toldOf !== undefined && until?.getTime() === this.toldOf?.getTime()) return;
    this.toldOf = until;
    await this.house.outbox.setOpens(this.claim!, until);
  }

  /** Sees to it that there are enough records at hand. */
  private async look(enough: number): Promise<void> {
    const { waiting } = this.rows;
    if (!this.first && (waiting >= enough || (waiting > 0 && !this.again))) return;
    [this.again, this.first] = [false, false];
    const { outbox } = this.house;
    const found = (async () => {
      const known = this.rows.ids;
      this.rows.add(await outbox.unanswered(this.target, known));
      this.rows.add(await outbox.page(this.target, known, Math.max(PAGE, enough)));
    })();
    this.looking = found.catch(() => undefined);
    await found;
  }

  /** What may be sent has changed: it is looked at anew. */
  forget(): void {
    this.rows.forget();
    this.again = true;
  }

  private async carry(rows: readonly WaitingRow[]): Promise<void> {
    const { moved, places, answers } = this.house;
    const [{ run: id, part, request }] = rows as [WaitingRow];
    const again = request !== null;
    try {
      const signal = this.house.signalOf(id);
      const { run, of } = await this.runAndPart(id, part);
      const { parallel, repeats, send } = await this.sending();
      const items = rows.map(({ cells, deliveryKey }) => ({ cells, id: deliveryKey }));
      const heard = (answer: Answer): void => answers.heard(this.target, id, answer);
      await places.take(this.system, parallel, signal);
      let rejections: readonly Rejection[];
      try {
        // One of them may be held, or gone, by now: the others are found again.
        if (!again && !(await this.marks.do(idsOf(rows)))) {
          this.again = true;
          return this.rows.done(rows);
        }
        // Whoever was stopped for longer than the claim holds does not know who sends by now.
        if (performance.now() > this.until) throw new AbortedBefore();
        rejections = await send({ ...of, items, again, heard }, signal);
      } finally {
        places.free(this.system);
      }
      const refusals = new Map(rejections.map((r) => [r.index, r]));
      const settled = this.settle(
        run,
        rows.map((row, at) => ({ row, of, refusal: refusals.get(at) ?? null })),
        rows,
      );
      // What may be sent again need not be settled before the next request goes.
      if (!repeats || this.unsettled >= MOST_UNSETTLED) await settled;
      await this.answersAgain();
    } catch (error) {
      await this.notSettled(rows, error as Error);
      moved(id);
    }
  }
  private runAndPart(id: number, part: number): Promise<{ readonly run: SentRun; readonly of: PartColumns }> {
    const { runs, outbox } = this.house;
    const name = `${id} ${part}`;
    let known = this.known.get(name);
    if (!known) {
      known = (async () => {
        const row = (await runs.row(id))!;
        const { mapping, revision } = row;
        return {
          run: { run: id, mapping, revision, document: await runs.document(row) },
          of: await outbox.part(id, part),
        };
      })();
      this.known.set(name, known);
    }
    return known;
  }

  /** Keeps what an answer said. What can't be kept is told of its run. */
  private async settle(run: SentRun, sent: readonly SentRow[], rows: readonly WaitingRow[]): Promise<void> {
    this.unsettled++;
    try {
      const error = await this.answers.do({ run, sent });
      if (error === null) this.rows.done(rows);
      else await this.notSettled(rows, error);
    } catch (error) {
      process.stderr.write(`Run ${run.run}: ${(error as Error).message}\n`);
    } finally {
      this.unsettled--;
      this.house.moved(run.run);
    }
  }
  private async keepAll(all: readonly Answered[]): Promise<(Error | null)[]> {
    const error = await this.keep(all);
    if (error === null || all.length === 1) return all.map(() => error);
    // Together they can't be kept: each by itself shows whose fault that is.
    const results: (Error | null)[] = [];
    for (const one of all) results.push(await this.keep([one]));
    return results;
  }
  private keep(all: readonly Answered[]): Promise<Error | null> {
    const byRun = new Map<number, { run: SentRun; sent: SentRow[] }>();
    for (const { run, sent } of all) {
      const known = byRun.get(run.run);
      if (known) known.sent.push(...sent);
      else byRun.set(run.run, { run, sent: [...sent] });
    }
    const statements = [...byRun.values()].flatMap(({ run, sent }) => settleSent(run, sent));
    return this.house.outbox.db.transaction([requireSender(this.claim!), ...statements]).then(
      () => null,
      (error: Error) => error,
    );
  }

  private async notSettled(rows: readonly WaitingRow[], error: Error): Promise<void> {
    const { outbox, closing } = this.house;
    this.opened = null;
    const [{ run, request }] = rows as [WaitingRow];
    if (isLostClaim(error)) {
      this.isLost = true;
      return this.rows.done(rows);
    }
    const nothingDone = error instanceof NothingDone || error instanceof AbortedBefore || isFault(error);
    const asBefore = nothingDone && request === null;
    if (asBefore)
      try {
        await outbox.putBack(this.claim!, idsOf(rows));
      } catch (lost) {
        if (!isLostClaim(lost)) throw lost;
        this.isLost = true;
        return this.rows.done(rows);
      }
    if (error instanceof Aborted || error instanceof AbortedBefore) return this.rows.done(rows);
    if (error instanceof WindowClosed) return this.rows.back(rows);
    if (!(error instanceof Outage)) {
      await outbox.setTrouble(run, error.message);
      this.rows.drop(run);
      return this.rows.done(rows);
    }
    this.isOut = true;
    await outbox.setOutage(this.claim!, error.message);
    const { longestPause } = await this.pace();
    const ms = Math.min(longestPause, 250 * 2 ** this.attempts++) * (0.75 + Math.random() / 2);
    await pause(ms, AbortSignal.any([closing, this.house.signalOf(run)])).catch(() => undefined);
    this.rows.back(asBefore ? rows : rows.map((row) => ({ ...row, request: row.request ?? rows[0]!.id })));
  }
  private async answersAgain(): Promise<void> {
    if (!this.isOut) return;
    this.isOut = false;
    this.attempts = 0;
    await this.house.outbox.setOutage(this.claim!, null);
  }
}

const idsOf = (rows: readonly WaitingRow[]): number[] => rows.map((r) => r.id);
