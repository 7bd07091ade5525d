import type * as z from 'zod';

/** One request: what it takes and gives. Server, page and the OpenAPI document all read this table. */
export interface Route {
  readonly method: 'get' | 'post' | 'put' | 'delete';
  /** Below /api, parameters as :name. */
  readonly path: string;
  readonly summary: string;
  readonly params?: z.ZodType;
  readonly query?: z.ZodType;
  readonly body?: z.ZodType;
  readonly response: z.ZodType;
}
