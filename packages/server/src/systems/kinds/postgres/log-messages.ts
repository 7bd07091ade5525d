/**
 * Which rows of one table changed, from the messages of logical replication (protocol version 1, “Logical Replication Message
 * Formats” of PostgreSQL’s documentation). Values stay as the server prints them.
 */
export class ChangedKeys {
  private readonly found = new Map<string, readonly string[]>();
  private isAny = false;
  /** The places of the key’s fields in rows, as the server said last. */
  private places: readonly number[] | null = null;

  constructor(
    private readonly table: number,
    private readonly fields: readonly string[],
    private readonly most: number,
  ) {}

  /** Each once; null: any row may have changed. */
  get keys(): readonly (readonly string[])[] | null {
    return this.isAny ? null : [...this.found.values()];
  }

  take(message: Buffer): void {
    if (this.isAny) return;
    const reader = new Reader(message);
    switch (reader.letter()) {
      case 'R':
        return this.relation(reader);
      case 'I':
        return this.rows(reader);
      case 'U':
        return this.rows(reader);
      case 'D':
        return this.rows(reader);
      case 'T':
        // The table was emptied.
        this.isAny = true;
        return;
      default:
      // The begin and end of transactions, where they came from, and types.
    }
  }
  private relation(reader: Reader): void {
    if (reader.uint32() !== this.table) return this.stranger();
    reader.text();
    reader.text();
    reader.byte();
    const names = Array.from({ length: reader.uint16() }, () => {
      reader.byte();
      const name = reader.text();
      reader.uint32();
      reader.uint32();
      return name;
    });
    const places = this.fields.map((f) => names.indexOf(f));
    this.places = places.includes(-1) ? null : places;
  }
  /** A partition's rows come under its own name, unless the publication says otherwise: nobody can say whose they are. */
  private stranger(): void {
    this.isAny = true;
  }
  /** The old row’s key where it is told, and the new row. */
  private rows(reader: Reader): void {
    if (reader.uint32() !== this.table || this.places === null) return this.stranger();
    while (!reader.isAtEnd) {
      reader.letter();
      const row = reader.row();
      const key = this.places.map((place) => row[place] ?? null);
      if (key.some((value) => value === null)) return this.stranger();
      this.found.set(JSON.stringify(key), key as string[]);
    }
    if (this.found.size > this.most) this.stranger();
  }
}

class Reader {
  private at = 0;
  constructor(private readonly bytes: Buffer) {}

  get isAtEnd(): boolean {
    return this.at >= this.bytes.length;
  }
  letter(): string {
    return String.fromCharCode(this.byte());
  }
  byte(): number {
    return this.bytes.readUInt8(this.at++);
  }
  uint16(): number {
    this.at += 2;
    return this.bytes.readUInt16BE(this.at - 2);
  }
  uint32(): number {
    this.at += 4;
    return this.bytes.readUInt32BE(this.at - 4);
  }
  text(): string {
    const end = this.bytes.indexOf(0, this.at);
    const text = this.bytes.toString('utf8', this.at, end);
    this.at = end + 1;
    return text;
  }
  /** Values as texts; null where there is none, or where it stayed as it was and is not told. */
  row(): (string | null)[] {
    return Array.from({ length: this.uint16() }, () => {
      if (this.letter() !== 't') return null;
      const length = this.uint32();
      this.at += length;
      return this.bytes.toString('utf8', this.at - length, this.at);
    });
  }
}
