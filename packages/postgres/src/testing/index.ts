export { postgresPrograms, PostgresServer } from './postgres-server.ts';
