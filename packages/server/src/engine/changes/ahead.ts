/** Asks for what comes next while the last that came is worked on. */
export async function* ahead<T>(of: AsyncGenerator<T>): AsyncGenerator<T> {
  for (let next = of.next(); ;) {
    const { value, done } = await next;
    if (done) return;
    next = of.next();
    // What is wrong with it is heard in its turn, or not at all where nobody wants more.
    next.catch(() => undefined);
    yield value;
  }
}
