/** Input that can't be worked with: a sentence for the person; the program exits with 2. */
export class BadInput extends Error {}
