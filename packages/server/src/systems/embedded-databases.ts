import { existsSync, mkdirSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import { Fault, quoted, refused } from '@versicle/core';
import { PgliteDatabase, ServerDatabase, type Database, type ServerAddress } from '@versicle/postgres';
import { databaseBeside } from '@versicle/store';
import { IDLE_SECONDS } from '@versicle/store/claims';
import { sessionsOf, THIS_PROCESS } from '../workers/this-process.ts';
import type { EmbeddedHome, Standing } from './embedded-home.ts';

/** The databases that Versicle keeps itself, by name. */
export interface EmbeddedDatabases {
  /** Makes it where there is none. `died`: what was opened can't be used any more, and is opened anew when it is asked for. */
  open(name: string, died: () => void): Promise<Database>;
  standing(system: string): Promise<Standing>;
  close(): Promise<void>;
}

/** Each is a PGlite in a directory of its own. */
export class EmbeddedHere implements EmbeddedDatabases {
  private readonly opened = new Map<string, Promise<PgliteDatabase>>();

  constructor(
    private readonly directory: string,
    private readonly template: string | undefined,
    /** Who has which, where several processes work on the store; null: this one has them all. */
    private readonly home: EmbeddedHome | null = null,
  ) {}

  open(name: string, died: () => void): Promise<Database> {
    let opened = this.opened.get(name);
    if (!opened) {
      const directory = join(this.directory, name);
      if (!existsSync(this.directory)) mkdirSync(this.directory, { recursive: true });
      opened = (this.home?.require(name) ?? Promise.resolve()).then(() =>
        PgliteDatabase.open(directory, { journal: true, template: this.template }),
      );
      const again = (): void => void (this.opened.get(name) === opened && this.opened.delete(name));
      opened.then((database) => {
        database.died = () => {
          again();
          died();
        };
      }, again);
      this.opened.set(name, opened);
    }
    return opened;
  }
  standing(system: string): Promise<Standing> {
    return this.home?.standing(system) ?? Promise.resolve('anywhere');
  }
  async close(): Promise<void> {
    for (const opened of this.opened.values()) await (await opened.catch(() => null))?.close();
  }
}

/** Each is a database beside the store's, on the same server: all processes reach it. */
export class EmbeddedOnServer implements EmbeddedDatabases {
  private readonly opened = new Map<string, Promise<ServerDatabase>>();

  private constructor(
    private readonly db: Database,
    private readonly store: ServerAddress,
    private readonly directory: string,
  ) {}

  /** Throws a `start` fault where some lie in a data directory: they would seem to be empty. */
  static async begin(db: Database, store: ServerAddress, directory: string): Promise<EmbeddedOnServer> {
    await this.requireNone(db, directory);
    return new EmbeddedOnServer(db, store, directory);
  }
  private static async requireNone(db: Database, directory: string): Promise<void> {
    const elsewhere = await db.query<{ name: string }>('SELECT name FROM embedded_database ORDER BY name');
    const here = existsSync(directory) ? readdirSync(directory) : [];
    const names = [...new Set([...here, ...elsewhere.map((r) => r.name)])].sort();
    if (names.length > 0)
      throw new Fault(
        'start',
        `Embedded databases lie in a data directory already (${names.map((name) => quoted(name)).join(', ')}), and would be empty on the server. Leave VERSICLE_EMBEDDED out to go on with them; or stop all processes, move ${directory} away on each machine, empty the table embedded_database of the store, and let the runs load what is needed anew.`,
      );
  }
  /** Says for all processes, and for good, where they lie; a store that was copied under another name would find them empty. */
  private async settle(): Promise<void> {
    const { database } = this.store;
    const [row] = await this.db.query<{ value: string }>(
      "INSERT INTO house (name, value) VALUES ('embedded beside', $1) ON CONFLICT (name) DO UPDATE SET value = house.value RETURNING value",
      [database],
    );
    if (row!.value !== database)
      throw refused(
        `The embedded databases of this store lie beside the database ${quoted(row!.value)}, of which it is a copy, and would be empty beside ${quoted(database)}. Copy them, too, under the new name, and change the entry “embedded beside” of the table house.`,
      );
    await EmbeddedOnServer.requireNone(this.db, this.directory);
  }

  open(name: string): Promise<Database> {
    let opened = this.opened.get(name);
    if (!opened) {
      opened = this.settle()
        .then(() => databaseBeside(this.store, name))
        .then((address) => new ServerDatabase(address, { idleSeconds: IDLE_SECONDS, name: sessionsOf(THIS_PROCESS) }));
      opened.catch(() => this.opened.delete(name));
      this.opened.set(name, opened);
    }
    return opened;
  }
  standing(): Promise<Standing> {
    return Promise.resolve('anywhere');
  }
  async close(): Promise<void> {
    for (const opened of this.opened.values()) await (await opened.catch(() => null))?.close();
  }
}
