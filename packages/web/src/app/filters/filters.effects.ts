import { request } from '../shared/request';
import { filtersActions as a } from './filters.feature';

const actFailed = (problem: string): ReturnType<typeof a.actFailed> => a.actFailed({ problem });

export const load = request(a.opened, 'listFilters', 'newest', {
  call: ({ id, dataset }) => ({ params: { id }, query: { dataset } }),
  done: (kept) => a.loaded({ kept }),
  failed: (problem) => a.failed({ problem }),
});

export const count = request(a.count, 'countRows', 'newest', {
  call: ({ id, dataset, condition }) => ({ params: { id }, query: { dataset, filter: condition } }),
  done: (found) => a.counted({ count: found }),
  failed: (problem) => a.countFailed({ problem }),
});

export const keep = request(a.keep, 'keepFilter', 'in turn', {
  call: ({ id, dataset, name, condition }) => ({ params: { id }, body: { dataset, name, condition } }),
  done: (kept) => a.loaded({ kept }),
  failed: actFailed,
});

export const forget = request(a.forget, 'forgetFilter', 'in turn', {
  call: ({ filter }) => ({ params: { id: filter } }),
  done: (_, { filter }) => a.forgotten({ filter }),
  failed: actFailed,
});
