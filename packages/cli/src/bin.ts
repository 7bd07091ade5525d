import { keepFileThreadsAwake } from '@versicle/files';
import { main } from './main.ts';

keepFileThreadsAwake();
process.exitCode = await main(
  process.argv.slice(2),
  (text) => process.stdout.write(`${text}\n`),
  (text) => process.stderr.write(`${text}\n`),
);
