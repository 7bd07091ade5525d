export { CuttingProxy } from './cutting-proxy.ts';
export { eachHome, type Home } from './homes.ts';
export { postgresPrograms, PostgresServer } from './postgres-server.ts';
