interface Making<T> {
  /** Settles, and never fails, when the answer is there. */
  readonly over: Promise<void>;
  /** Of those who asked meanwhile. */
  next: Promise<T> | null;
}

/**
 * Answers that are the same for whoever asks. What is asked while one is being made waits for the next one, which is made once
 * for all who wait: each answer is begun after its question, and however many ask, only one is made at a time.
 */
export class Gathered<T> {
  private readonly making = new Map<string, Making<T>>();

  ask(question: string, make: () => Promise<T>): Promise<T> {
    const making = this.making.get(question);
    if (making === undefined) return this.begin(question, make);
    making.next ??= making.over.then(() => this.begin(question, make));
    return making.next;
  }
  private begin(question: string, make: () => Promise<T>): Promise<T> {
    const answer = make();
    const over = answer.then(
      () => undefined,
      () => undefined,
    );
    const making: Making<T> = { over, next: null };
    this.making.set(question, making);
    void over.then(() => making.next === null && this.making.delete(question));
    return answer;
  }
}
