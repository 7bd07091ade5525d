export default async function stop() {
  await globalThis.storeServer?.stop();
}
