import { createHmac } from 'node:crypto';
import { Random } from '../random.ts';
import { member, PLANS } from './people.ts';

/** Where notices go, how they are signed, and how many seconds lie between two; 0: only when they are asked for. */
export interface NoticeSettings {
  readonly to: string;
  readonly secret: string;
  readonly everySeconds: number;
}
const MEMBERS = 14_000;
const ACCOUNTS = 120;
/** What is paid for, in cents. */
const PRICES = { PAS: '1290', DAY: '250', FEE: '890' } as const;

/**
 * Notices of the Membership service, sent to whoever asked for them: who joined, who left, who was paid back. One that is not
 * taken is sent again with the next ones, a few times.
 */
export class SignUps {
  private settings: NoticeSettings | null = null;
  private timer: NodeJS.Timeout | undefined;
  private made = 0;
  private waiting: { readonly id: string; readonly body: string; readonly tries: number }[] = [];

  constructor(private readonly clock: () => Date = () => new Date()) {}

  /** Throws what is wrong with them. */
  set(settings: NoticeSettings): void {
    if (!/^https?:\/\/(127\.0\.0\.1|localhost)(:\d+)?\//.test(settings.to))
      throw new Error('Notices go to this machine only.');
    this.settings = settings;
    clearInterval(this.timer);
    if (settings.everySeconds > 0) {
      this.timer = setInterval(() => void this.send(1), settings.everySeconds * 1000);
      this.timer.unref();
    }
  }
  /** Sends so many new ones. Gives how many were taken, older ones among them. */
  async send(count: number): Promise<number> {
    for (let i = 0; i < count; i++) this.waiting.push({ ...this.notice(), tries: 0 });
    const sent = this.waiting.splice(0);
    let taken = 0;
    for (const one of sent) {
      if (await this.post(one)) taken++;
      else if (one.tries < 5) this.waiting.push({ ...one, tries: one.tries + 1 });
    }
    return taken;
  }
  close(): void {
    clearInterval(this.timer);
  }

  private async post({ id, body }: { readonly id: string; readonly body: string }): Promise<boolean> {
    if (this.settings === null) return false;
    const { to, secret } = this.settings;
    const time = String(Math.floor(this.clock().getTime() / 1000));
    const signature = createHmac('sha256', secret).update(`${time}.${id}.${body}`).digest('hex');
    const headers = {
      'Content-Type': 'application/json',
      'X-Delivery-Id': id,
      'X-Timestamp': time,
      'X-Signature': signature,
    };
    return fetch(to, { method: 'POST', headers, body }).then(
      (answer) => answer.ok,
      () => false,
    );
  }

  private notice(): { readonly id: string; readonly body: string } {
    const now = this.clock();
    const n = ++this.made;
    const random = new Random(n * 7919 + 3);
    // Never the same again, also after a restart.
    const ref = `SU-${Math.floor(now.getTime() / 1000)}-${n}`;
    const who = member(random.whole(1, MEMBERS));
    const at = `${now.toISOString().slice(0, 19)}Z`;
    const kind = random.next();
    if (kind < 0.12) {
      const { last_name } = who;
      const [plan, joined_on] = [random.pick(PLANS), `2025-0${random.whole(1, 9)}-1${random.whole(0, 9)}`];
      return {
        id: ref,
        body: JSON.stringify({ type: 'leave', ref, member: who.external_no, last_name, plan, joined_on, at }),
      };
    }
    // A gift is nobody's posting.
    const type = kind < 0.16 ? 'gift' : kind < 0.24 ? 'refund' : 'join';
    const pass = random.pick(Object.keys(PRICES)) as keyof typeof PRICES;
    const account = n % 37 === 5 ? 'A99999' : `A${10_000 + random.whole(0, ACCOUNTS - 1) * 7}`;
    const amount = n % 53 === 9 ? '0' : `${PRICES[pass]}${type === 'refund' ? '-' : ''}`;
    return { id: ref, body: JSON.stringify({ type, ref, member: who.external_no, account, pass, amount, at }) };
  }
}
