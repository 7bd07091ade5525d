// The few globals that browsers, workers and Node.js share, declared here so that core needs neither DOM nor Node types.
declare class TextDecoder {
  constructor(label?: string, options?: { fatal?: boolean; ignoreBOM?: boolean });
  decode(input?: Uint8Array, options?: { stream?: boolean }): string;
}
declare class TextEncoder {
  encode(input: string): Uint8Array;
  encodeInto(input: string, into: Uint8Array): { read: number; written: number };
}
declare const crypto: { randomUUID(): string };
declare class DecompressionStream {
  constructor(format: 'gzip');
  readonly readable: {
    getReader(): { read(): Promise<{ done: boolean; value?: Uint8Array }>; cancel(reason?: unknown): Promise<void> };
  };
  readonly writable: {
    getWriter(): {
      write(chunk: Uint8Array): Promise<void>;
      close(): Promise<void>;
      abort(reason?: unknown): Promise<void>;
      readonly ready: Promise<void>;
    };
  };
}
