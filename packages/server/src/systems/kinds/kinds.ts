import type { Connection, FormEntry, Kind as ShownKind, KindFacts } from '@versicle/contract';
import { Fault, nearest, quoted } from '@versicle/core';
import type { Kind, KindContext, OpenSystem } from './kind.ts';
import { formEntries } from './settings.ts';

/** Any kind: what its connection is like, only it knows. */
// A connection is handed only to the kind that read it.
// eslint-disable-next-line @typescript-eslint/no-explicit-any
type AnyKind = Kind<any>;
type KnownKind = AnyKind & { readonly entries: readonly FormEntry[] };

/** The kinds of system that there are, found by the name that a connection says. */
export class Kinds {
  private readonly byName: ReadonlyMap<string, KnownKind>;
  private constructor(kinds: readonly AnyKind[]) {
    this.byName = new Map(kinds.map((k) => [k.facts.kind, { ...k, entries: formEntries(k.settings) }]));
  }
  static of(kinds: readonly AnyKind[]): Kinds {
    return new Kinds(kinds);
  }
  /** These, and further ones. */
  and(...kinds: readonly AnyKind[]): Kinds {
    return new Kinds([...this.byName.values(), ...kinds]);
  }

  shown(): ShownKind[] {
    return [...this.byName.values()].map(({ facts, entries }) => ({ ...facts, entries: [...entries] }));
  }

  /** The names of those whose systems are listened to. */
  listening(): string[] {
    return [...this.byName.values()].filter((k) => k.listens).map((k) => k.facts.kind);
  }

  private of({ kind }: Pick<Connection, 'kind'>): KnownKind {
    const found = this.byName.get(kind);
    if (found) return found;
    const near = nearest(kind, [...this.byName.keys()]);
    throw new Fault(
      'not understood',
      `There is no kind of system called ${quoted(kind)}.${near ? ` Did you mean ${near}?` : ''}`,
      [{ path: 'connection.kind', message: 'unknown' }],
    );
  }

  facts(connection: Connection): KindFacts {
    return this.of(connection).facts;
  }
  where(connection: Connection, id: string): string {
    return this.of(connection).where(connection, id);
  }
  place(connection: Connection): readonly string[] {
    return this.of(connection).place as readonly string[];
  }
  makes(connection: Connection): string | null {
    return (this.of(connection).makes as string | undefined) ?? null;
  }
  signsIn(connection: Connection): boolean {
    return this.of(connection).signsIn?.(connection) ?? false;
  }
  /** The names of the entries that are kept under lock. */
  secrets(connection: Connection): string[] {
    const { entries } = this.of(connection);
    return entries.filter((e) => e.secret).map((e) => e.name);
  }

  /** A connection as its kind wants it, with what is left out filled in; refuses what must not be saved. Throws a fault. */
  checked(connection: Connection): Connection {
    const kind = this.of(connection);
    const read = this.read(connection);
    kind.check?.(read);
    return read;
  }
  read(connection: Connection): Connection {
    const { settings, entries } = this.of(connection);
    const result = settings.safeParse(connection);
    if (result.success) return result.data as Connection;
    const titles = new Map(entries.map((e) => [e.name, e.title]));
    const details = result.error.issues.map((issue) => {
      const name = String(issue.path[0] ?? '');
      const isMissing = issue.code !== 'unrecognized_keys' && connection[name] === undefined;
      const message = isMissing ? 'something must stand here' : lowerFirst(issue.message);
      return { path: `connection.${name}`, title: titles.get(name) ?? 'The connection', message };
    });
    const [first] = details;
    throw new Fault('not understood', `${first!.title}: ${first!.message.replace(/\.$/, '')}.`, details);
  }
  async open(connection: Connection, context: KindContext): Promise<OpenSystem> {
    return this.of(connection).open(connection, context);
  }
}
const lowerFirst = (text: string): string => text.charAt(0).toLowerCase() + text.slice(1);
