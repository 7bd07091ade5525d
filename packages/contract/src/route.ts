import type * as z from 'zod';

import type { Address } from './addresses.ts';

/** One request: what it takes and gives. Server, page and the OpenAPI document all read this table. */
export type Route = Address & Described;
export interface Described {
  readonly summary: string;
  readonly params?: z.ZodType;
  readonly query?: z.ZodType;
  readonly body?: z.ZodType;
  readonly response: z.ZodType;
}
