import { buildServer, buildStandins } from '../../../../scripts/build.mjs';

/** The tests talk to the built server, as people do. */
export default async function build() {
  await buildServer();
  await buildStandins();
}
