import { PostgresServer } from '@versicle/postgres/testing';
import { openStore } from '@versicle/store';
import { TEMPLATE, urlOf } from './store-home.ts';

/** A PostgreSQL server for the stores of tests, with one that has all tables and no content, which the others are copies of. */
export async function startStoreServer(): Promise<PostgresServer> {
  const server = await PostgresServer.start();
  await server.query(`CREATE DATABASE ${TEMPLATE}`);
  const fail = (why: Error): never => {
    throw why;
  };
  const { db } = await openStore({ url: urlOf(server.port, TEMPLATE), directory: '' }, fail);
  await db.close();
  return server;
}
