/** Does in one go all that is asked for while the last go is still under way. */
export class AllAtOnce<T, R> {
  private asked: { readonly item: T; readonly done: (result: R) => void; readonly failed: (error: Error) => void }[] =
    [];
  private going: Promise<void> | null = null;

  constructor(
    /** Gives a result for each item. */
    private readonly doAll: (items: readonly T[]) => Promise<readonly R[]>,
  ) {}

  do(item: T): Promise<R> {
    return new Promise((done, failed) => {
      this.asked.push({ item, done, failed });
      this.going ??= this.go().finally(() => (this.going = null));
    });
  }
  private async go(): Promise<void> {
    while (this.asked.length > 0) {
      const all = this.asked;
      this.asked = [];
      try {
        const results = await this.doAll(all.map((a) => a.item));
        for (const [i, { done }] of all.entries()) done(results[i]!);
      } catch (error) {
        for (const { failed } of all) failed(error as Error);
      }
    }
  }
  /** Until nothing is under way. */
  async idle(): Promise<void> {
    await this.going;
  }
}
