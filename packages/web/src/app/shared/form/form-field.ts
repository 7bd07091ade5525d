/** One entry of a form. Values are texts; a box to tick is `true` or empty. */
export interface FormField {
  readonly name: string;
  readonly title: string;
  readonly type: 'text' | 'number' | 'choice' | 'tick';
  readonly description?: string | undefined;
  /** Never shown; one that is kept stays as long as nothing is written. */
  readonly secret?: boolean | undefined;
  /** Several lines. */
  readonly long?: boolean | undefined;
  /** Takes the room of two. */
  readonly wide?: boolean | undefined;
  /** Words for people rather than for machines. */
  readonly plain?: boolean | undefined;
  readonly example?: string | undefined;
  /** What it means when nothing is written, or such as what is written; shown in the empty field. */
  readonly hint?: string | undefined;
  readonly choices?: readonly { readonly value: string; readonly words: string }[];
  /** Proposed, while anything can be written. */
  readonly proposed?: readonly string[];
  readonly required?: boolean | undefined;
  /** It matters only where another entry, which must matter itself, says one of these, is filled, or has this in it. */
  readonly when?: FormCondition | undefined;
}
export interface FormCondition {
  readonly entry: string;
  readonly is?: readonly string[] | undefined;
  readonly has?: string | undefined;
}
export type FormValues = Readonly<Record<string, string>>;

/** The entries that matter with these values. */
export function mattering<F extends FormField>(fields: readonly F[], values: FormValues): F[] {
  const byName = new Map(fields.map((f) => [f.name, f]));
  const matters = (field: FormField): boolean => {
    const { when } = field;
    if (!when) return true;
    const other = byName.get(when.entry);
    if (other && !matters(other)) return false;
    const value = values[when.entry] ?? '';
    if (when.is) return when.is.includes(value);
    return when.has === undefined ? value.trim() !== '' : value.includes(when.has);
  };
  return fields.filter(matters);
}

/** Choices from a record of words, in its order. */
export function choicesOf(words: Readonly<Record<string, string>>): NonNullable<FormField['choices']> {
  return Object.entries(words).map(([value, said]) => ({ value, words: said }));
}
