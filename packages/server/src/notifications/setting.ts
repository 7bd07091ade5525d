import { randomBytes } from 'node:crypto';
import type { NotificationSetting, SavedNotificationSetting } from '@versicle/contract';
import { nextTimes, refused } from '@versicle/core';
import type { Database } from '@versicle/postgres';
import type { Secrets } from '../store/secrets.ts';

interface Row {
  [key: string]: unknown;
  mail_system: string | null;
  digest_hours: number;
  quiet_from: string | null;
  quiet_to: string | null;
  zone: string;
  address: string | null;
  secret: string | null;
}
const BOUND = 'notifications';

/** How people are told, for all plans. */
export class NotificationSettings {
  constructor(
    private readonly db: Database,
    private readonly secrets: Secrets,
    /** Where Versicle listens. */
    private readonly listens: () => string,
  ) {}

  private async row(): Promise<Row> {
    const [row] = await this.db.query<Row>('SELECT * FROM notification_setting');
    return row!;
  }
  async get(): Promise<NotificationSetting> {
    const row = await this.row();
    return {
      mailSystem: row.mail_system,
      digestHours: row.digest_hours,
      quiet: row.quiet_from === null ? null : { from: row.quiet_from, to: row.quiet_to!, zone: row.zone },
      address: row.address,
      signed: row.secret !== null,
    };
  }
  async save(setting: SavedNotificationSetting): Promise<NotificationSetting> {
    const { mailSystem, digestHours, quiet, address } = setting;
    if (mailSystem !== null && !(await this.mailSystems()).includes(mailSystem))
      throw refused(`There is no system “${mailSystem}” that takes mail.`, [
        { path: 'mailSystem', message: 'not found' },
      ]);
    if (quiet !== null && quiet.from === quiet.to)
      throw refused('Quiet hours that begin when they end never end.', [{ path: 'quiet', message: 'never ends' }]);
    await this.db.query(
      'UPDATE notification_setting SET mail_system = $1, digest_hours = $2, quiet_from = $3, quiet_to = $4, zone = $5, address = $6',
      [mailSystem, digestHours, quiet?.from ?? null, quiet?.to ?? null, quiet?.zone ?? 'UTC', address],
    );
    return this.get();
  }
  /** Makes what webhooks are signed with from now on; it is shown this once. */
  async makeSecret(): Promise<string> {
    const secret = randomBytes(32).toString('hex');
    await this.db.query('UPDATE notification_setting SET secret = $1', [this.secrets.seal(secret, BOUND)]);
    return secret;
  }
  async secret(): Promise<string | null> {
    const { secret } = await this.row();
    return secret === null ? null : this.secrets.open(secret, BOUND);
  }
  async linkBase(): Promise<string> {
    return ((await this.row()).address ?? this.listens()).replace(/\/+$/, '');
  }
  /** The system that mail is handed to. Throws a fault where that is not settled. */
  async mailSystem(): Promise<string> {
    const { mail_system } = await this.row();
    const all = await this.mailSystems();
    if (mail_system !== null && all.includes(mail_system)) return mail_system;
    if (all.length === 1) {
      // It stays the one where others are connected later.
      await this.db.query('UPDATE notification_setting SET mail_system = $1', [all[0]]);
      return all[0]!;
    }
    throw refused(
      all.length === 0
        ? 'No system takes mail. Connect a mail server under Systems.'
        : 'Several systems take mail. Choose one under Settings, Notifications.',
    );
  }
  private async mailSystems(): Promise<string[]> {
    const rows = await this.db.query<{ id: string }>(
      "SELECT id FROM system WHERE connection ->> 'kind' = 'mail' ORDER BY id",
    );
    return rows.map((r) => r.id);
  }
}

/** When something that comes up now may be sent: at once, or when the quiet hours end. */
export function sendsAt(quiet: NotificationSetting['quiet'], now: Date): Date {
  if (quiet === null) return now;
  const clock = new Intl.DateTimeFormat('en-GB', {
    timeZone: quiet.zone,
    hour: '2-digit',
    minute: '2-digit',
    hourCycle: 'h23',
  }).format(now);
  const { from, to } = quiet;
  const isQuiet = from < to ? from <= clock && clock < to : from <= clock || clock < to;
  if (!isQuiet) return now;
  const [hour, minute] = to.split(':').map(Number);
  const [end] = nextTimes({ cron: `${minute} ${hour} * * *`, zone: quiet.zone, except: [], only: [] }, now, 1);
  return end?.at ?? now;
}
