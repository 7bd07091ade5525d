import { Fault } from '../../faults.ts';

/** Unpacks gzip as a stream, through the platform's DecompressionStream. Throws a fault when the data are damaged or cut. */
export async function* gunzip(chunks: AsyncIterable<Uint8Array>, name: string): AsyncGenerator<Uint8Array> {
  const stream = new DecompressionStream('gzip');
  const writer = stream.writable.getWriter();
  const reader = stream.readable.getReader();
  let feeding: Error | null = null;
  const fed = (async () => {
    try {
      for await (const chunk of chunks) {
        await writer.ready;
        await writer.write(chunk as Uint8Array<ArrayBuffer>);
      }
      await writer.close();
    } catch (error) {
      feeding = error as Error;
      await writer.abort(error).catch(() => undefined);
    }
  })();
  try {
    for (;;) {
      const { done, value } = await reader.read();
      if (done) break;
      yield value!;
    }
    await fed;
  } catch (error) {
    await fed;
    throw new Fault(
      'unreadable',
      `${name} can't be unpacked: the gzip data are damaged or cut short (${(feeding ?? (error as Error)).message}).`,
    );
  } finally {
    await reader.cancel().catch(() => undefined);
  }
}
