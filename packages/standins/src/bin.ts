import { startServices } from './services/services.ts';
import { writeTidebridge } from './tidebridge/folder.ts';

const USAGE = `standins FOLDER [TRIPS]    writes the Tidebridge export folder
standins serve [PORT] [MEMBERS]   starts the simulated systems, from this port upwards (4171 without one)
`;

const [first, second, third] = process.argv.slice(2);
if (first === undefined || first.startsWith('-')) {
  process.stderr.write(USAGE);
  process.exitCode = 2;
} else if (first === 'serve') {
  const services = await startServices(
    second === undefined ? 4171 : Number(second),
    third === undefined ? undefined : Number(third),
    process.env['STANDINS_TEMPLATE'] ?? null,
    process.env['STANDINS_HOME'] ?? null,
  );
  process.stdout.write(`${JSON.stringify(services.ports)}\n`);
  // They end with whoever started them; Ctrl-C reaches both, and databases are to be closed first.
  const end = (): void => void services.close().finally(() => process.exit(0));
  process.on('SIGINT', () => process.stdin.isTTY && end());
  process.stdin.on('end', end).resume();
} else await writeTidebridge(first, second === undefined ? undefined : Number(second));
