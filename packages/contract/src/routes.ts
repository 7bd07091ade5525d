import * as z from 'zod';
import { codeRoutes } from './code-routes.ts';
import * as common from './common.ts';
import * as finder from './finder.ts';
import { mappingRoutes } from './mapping-routes.ts';
import { addressOf, type addresses } from './addresses.ts';
import type { Described, Route } from './route.ts';
import { runningRoutes } from './running-routes.ts';
import { systemRoutes } from './system-routes.ts';
import { today } from './today.ts';

const described = {
  health: {
    summary: 'Whether the server and its store answer',
    response: z.object({ ok: z.literal(true), version: z.string() }),
  },
  session: { summary: 'Who asks, and where', response: common.session },
  waiting: { summary: 'How many things wait for a person', response: common.waiting },
  today: { summary: 'The order of the day', response: today },
  find: {
    summary: 'Mappings, lines, datasets, fields, systems, plans, runs, code tables and failed records by a few words',
    query: finder.findQuery,
    response: z.array(finder.found),
  },
  ...systemRoutes,
  ...mappingRoutes,
  ...codeRoutes,
  ...runningRoutes,
} as const satisfies Record<keyof typeof addresses, Described>;

export type Routes = typeof described;
export type RouteName = keyof Routes;
/** All that is asked and answered, by name. */
export const routes = Object.fromEntries(
  (Object.keys(described) as RouteName[]).map((name) => [name, { ...addressOf(name), ...described[name] }]),
) as unknown as Readonly<Record<RouteName, Route>>;
type Out<T> = T extends z.ZodType ? z.output<T> : undefined;
type In<T> = T extends z.ZodType ? z.input<T> : undefined;
/** What a handler gets, validated. */
export type Request<N extends RouteName> = {
  params: Out<Routes[N] extends { params: infer P } ? P : undefined>;
  query: Out<Routes[N] extends { query: infer Q } ? Q : undefined>;
  body: Out<Routes[N] extends { body: infer B } ? B : undefined>;
};
/** What a caller gives. */
export type Call<N extends RouteName> = {
  params?: In<Routes[N] extends { params: infer P } ? P : undefined>;
  query?: In<Routes[N] extends { query: infer Q } ? Q : undefined>;
  body?: In<Routes[N] extends { body: infer B } ? B : undefined>;
};
export type Answer<N extends RouteName> = z.output<Routes[N]['response']>;

/** The OpenAPI 3.1 document of the table; its schemas are JSON Schema as 3.1 wants it. */
export function openApi(version: string): unknown {
  const schema = (type: z.ZodType, io: 'input' | 'output'): unknown => {
    const { $schema: _, ...rest } = z.toJSONSchema(type, { io, unrepresentable: 'any' });
    return rest;
  };
  const paths: Record<string, Record<string, unknown>> = {};
  for (const [name, route] of Object.entries(routes) as [string, Route][]) {
    const path = `/api${route.path.replace(/:(\w+)/g, '{$1}')}`;
    const parameters = (['params', 'query'] as const).flatMap((where) => {
      const type = route[where];
      if (!(type instanceof z.ZodObject)) return [];
      return Object.entries(type.shape as Record<string, z.ZodType>).map(([key, value]) => ({
        name: key,
        in: where === 'params' ? 'path' : 'query',
        required: where === 'params' || !value.safeParse(undefined).success,
        schema: schema(value, 'input'),
      }));
    });
    paths[path] = {
      ...paths[path],
      [route.method]: {
        operationId: name,
        summary: route.summary,
        ...(parameters.length > 0 ? { parameters } : {}),
        ...(route.body
          ? {
              requestBody: { required: true, content: { 'application/json': { schema: schema(route.body, 'input') } } },
            }
          : {}),
        responses: {
          200: { description: 'Done', content: { 'application/json': { schema: schema(route.response, 'output') } } },
          default: {
            description: 'A problem',
            content: { 'application/problem+json': { schema: schema(common.problemDetails, 'output') } },
          },
        },
      },
    };
  }
  return {
    openapi: '3.1.0',
    info: { title: 'Versicle', version, description: 'The mapping document that runs.' },
    paths,
  };
}
