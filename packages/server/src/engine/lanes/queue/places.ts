import { AbortedBefore } from '@versicle/core';

/** Requests to a system at a time, over all of its datasets: who comes first has the next place. */
export class Places {
  private readonly taken = new Map<string, number>();
  private readonly waiting = new Map<string, (() => void)[]>();

  /**
   * Resolves when fewer than `most` requests to the system are under way; the place is taken from then on. Rejects with
   * AbortedBefore as soon as the signal says so: whoever has the places may keep them for minutes.
   */
  async take(system: string, most: number, signal: AbortSignal): Promise<void> {
    while (!signal.aborted && (this.taken.get(system) ?? 0) >= most) await this.turn(system, signal);
    if (signal.aborted) throw new AbortedBefore();
    this.taken.set(system, (this.taken.get(system) ?? 0) + 1);
  }
  private turn(system: string, signal: AbortSignal): Promise<void> {
    return new Promise((resolve) => {
      const go = (): void => {
        signal.removeEventListener('abort', go);
        this.keep(
          system,
          (this.waiting.get(system) ?? []).filter((other) => other !== go),
        );
        resolve();
      };
      this.keep(system, [...(this.waiting.get(system) ?? []), go]);
      signal.addEventListener('abort', go, { once: true });
    });
  }
  private keep(system: string, waiting: (() => void)[]): void {
    if (waiting.length > 0) this.waiting.set(system, waiting);
    else this.waiting.delete(system);
  }
  /** A place is free again. */
  free(system: string): void {
    const left = (this.taken.get(system) ?? 0) - 1;
    if (left > 0) this.taken.set(system, left);
    else this.taken.delete(system);
    this.waiting.get(system)?.[0]?.();
  }
}
