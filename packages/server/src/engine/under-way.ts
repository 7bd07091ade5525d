/** What a run under way hears, and says. */
export interface UnderWay {
  /** Aborted when the run is cancelled or lost, or the server stops. */
  readonly signal: AbortSignal;
  /** Whether it waits for a system that does not answer. */
  readonly waits: (is: boolean) => void;
  /** Throws where this process was stopped for longer than its claim holds: what it would write may be another's to write. */
  readonly requireHeld: () => void;
}
