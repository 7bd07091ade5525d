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
        /**
         * How an answer says what was taken: by its status alone; by a list of refusals; by a list with a result for each
         * record; by a member that means success. Null: not settled yet. An answer that fits none of it is unclear, and its
         * records count as failed.
         */
        answer: z.enum(['status', 'errors', 'results', 'success']).nullable().default(null),
        /** The list of refusals, and their members with place, field and message. */
        errors: z.string().default('errors'),
        errorIndex: z.string().default('index'),
        errorField: z.string().default('field'),
        errorMessage: z.string().default('message'),
        /** How a refusal or result names its record: by its place from 0 or 1, by an id, or by a pointer such as `/members/3/email`. */
        place: z.enum(['from 0', 'from 1', 'id', 'pointer']).default('from 0'),
        /** The target field that such an id is. */
        idField: z.string().nullable().default(null),
        /** The list of results; its members with status, and the statuses that mean “taken”. */
        results: z.string().default('results'),
        resultStatus: z.string().default('status'),
        taken: z
          .array(z.string().min(1).max(60))
          .max(20)
          .default(['200', '201', '202', '204', 'ok', 'success', 'created', 'updated', 'accepted', 'true']),
        /** The member that means success, and its value. */
        success: z.string().default('success'),
        successValue: z.string().default('true'),
        /**
         * How the API recognises a request that comes again after its answer was lost: by a key in a header; by a look-up of
         * the record before it is sent again; or not at all: then nothing is ever sent twice, and what is unclear fails.
         */
        repeat: z
          .discriminatedUnion('by', [
            z.strictObject({
              by: z.literal('key'),
              header: z
                .string()
                .regex(/^[A-Za-z0-9!#$%&'*+.^_`|~-]+$/, 'must be the name of a header')
                .default('Idempotency-Key'),
            }),
            z.strictObject({
              by: z.literal('look-up'),
              /** Asked for the record: `{field}` stands for its values. */
              path: z.string().min(1).max(2000),
              /** The member that carries an id of ours, where the record has none of its own. */
              member: z.string().min(1).max(200).nullable().default(null),
            }),
            z.strictObject({ by: z.literal('nothing') }),
          ])
          .default({ by: 'nothing' }),
      })
      .nullable()
      .default(null),
  })
  .refine((e) => e.find === null || e.parent === null, {
    path: ['find'],
    message: 'records that are asked for by those of another dataset can’t be found by key as well',
  });
export type Endpoint = z.infer<typeof endpoint>;
