import * as z from 'zod';

/** How the records of one dataset of an HTTP API are asked for, and how they are written. */
export const endpoint = z
  .strictObject({
    description: z.string().max(2000).default(''),
    /** Below the base address; `{id}` stands for a field of the parent's record, `{{name}}` for a variable or period. */
    path: z.string().min(1).max(2000),
    query: z
      .array(z.strictObject({ name: z.string().min(1).max(200), value: z.string().max(2000) }))
      .max(50)
      .default([]),
    body: z.enum(['json', 'xml']).default('json'),
    /** Where the records are in the answer: members (`data.items`), or elements (`bikes/bike`) for XML. Null: guessed. */
    records: z.string().max(500).nullable().default(null),
    paging: z
      .discriminatedUnion('kind', [
        z.strictObject({ kind: z.literal('none') }),
        z.strictObject({
          kind: z.literal('page'),
          parameter: z.string().min(1),
          first: z.number().int().min(0).default(1),
          sizeParameter: z.string().nullable().default(null),
          size: z.number().int().min(1).max(100_000).default(100),
        }),
        z.strictObject({
          kind: z.literal('offset'),
          parameter: z.string().min(1),
          sizeParameter: z.string().min(1),
          size: z.number().int().min(1).max(100_000).default(100),
        }),
        z.strictObject({ kind: z.literal('cursor'), parameter: z.string().min(1), next: z.string().min(1) }),
        /** `next` is a member of the answer; null: the Link header (RFC 8288). */
        z.strictObject({ kind: z.literal('link'), next: z.string().nullable().default(null) }),
      ])
      .default({ kind: 'none' }),
    /** One request for each record of another dataset of the system. */
    parent: z
      .strictObject({ dataset: z.string().min(1), parallel: z.number().int().min(1).max(20).default(4) })
      .nullable()
      .default(null),
    /** How some records are asked for by the values of one field, so that a join need not fetch them all; null: not at all. */
    find: z
      .strictObject({
        field: z.string().min(1).max(200),
        /** `{key}` stands for one value, `{keys}` for several with commas between them. */
        path: z
          .string()
          .max(2000)
          .regex(
            /(?<!\{)\{keys?\}(?!\})/,
            'must name {key}, for one value, or {keys}, for several with commas between them',
          ),
        /** Values in one request, where the path names several. */
        atOnce: z.number().int().min(1).max(1000).default(50),
        /** Where the records are in that answer; null: where they are in the others. */
        records: z.string().max(500).nullable().default(null),
      })
      .nullable()
      .default(null),
    fields: z
      .array(
        z.strictObject({
          name: z.string().min(1).max(200),
          type: z.string().max(60).default('text'),
          nullable: z.boolean().default(true),
          key: z.boolean().default(false),
          label: z.string().nullable().default(null),
          description: z.string().nullable().default(null),
        }),
      )
      .max(2000)
      .default([]),
    /** Null: the dataset is only read. */
    write: z
      .strictObject({
        method: z.enum(['POST', 'PUT', 'PATCH']).default('POST'),
        path: z.string().min(1).max(2000),
        /** Records in one request; 1: a request for each, its body the record itself. */
        batch: z.number().int().min(1).max(1000).default(1),
        /** The member that holds the list in a batch; null: the body is the list. */
        member: z.string().nullable().default(null),
        /** In the answer to a batch: the list of refusals, and their members with place, field and message. */
        errors: z.string().default('errors'),
        errorIndex: z.string().default('index'),
        errorField: z.string().default('field'),
        errorMessage: z.string().default('message'),
      })
      .nullable()
      .default(null),
  })
  .refine((e) => e.find === null || e.parent === null, {
    path: ['find'],
    message: 'records that are asked for by those of another dataset can’t be found by key as well',
  });
export type Endpoint = z.infer<typeof endpoint>;
