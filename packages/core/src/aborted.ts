/** A person cancelled the work, or the program stops. */
export class Aborted extends Error {}
/** … before anything was done. */
export class AbortedBefore extends Aborted {}
