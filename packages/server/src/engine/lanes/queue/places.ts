/** Requests to a system at a time, over all of its datasets: who comes first has the next place. */
export class Places {
  private readonly taken = new Map<string, number>();
  private readonly waiting = new Map<string, (() => void)[]>();

  /** Resolves when fewer than `most` requests to the system are under way; the place is taken from then on. */
  async take(system: string, most: number): Promise<void> {
    while ((this.taken.get(system) ?? 0) >= most)
      await new Promise<void>((resolve) => {
        const others = this.waiting.get(system) ?? [];
        this.waiting.set(system, [...others, resolve]);
      });
    this.taken.set(system, (this.taken.get(system) ?? 0) + 1);
  }
  /** A place is free again. */
  free(system: string): void {
    const left = (this.taken.get(system) ?? 0) - 1;
    if (left > 0) this.taken.set(system, left);
    else this.taken.delete(system);
    const [next, ...others] = this.waiting.get(system) ?? [];
    if (others.length > 0) this.waiting.set(system, others);
    else this.waiting.delete(system);
    next?.();
  }
}
