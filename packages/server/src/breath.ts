/** Lets others go first: work that takes long in one piece would keep their requests waiting. */
export const breath = (): Promise<void> => new Promise((resolve) => setImmediate(resolve));
