import { stat } from 'node:fs';

// What packages/files/src/awake.ts does for the programs: a file operation of a test is not waited for for ever either.
const timer = setInterval(() => stat('/', () => undefined), 1000);
timer.unref();
afterAll(() => clearInterval(timer));
