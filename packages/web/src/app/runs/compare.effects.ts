import { request } from '../shared/request';
import { compareActions as a } from './compare.feature';

export const loadRun = request(a.runAsked, 'getRun', 'each', {
  call: ({ id }) => ({ params: { id } }),
  done: (run) => a.runLoaded({ run }),
  failed: (problem, { id }) => a.runFailed({ id, problem }),
});

export const loadOthers = request(a.othersAsked, 'listRuns', 'newest', {
  call: ({ plan }) => ({ query: { plan, limit: 200 } }),
  done: (others) => a.othersLoaded({ others }),
  failed: (problem) => a.othersFailed({ problem }),
});
