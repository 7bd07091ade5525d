import { request } from '../shared/request';
import { volumeActions as a } from './volume.feature';

export const load = request(a.opened, 'getVolume', 'newest', {
  call: ({ asked }) => ({ query: asked }),
  done: (volume) => a.loaded({ volume }),
  failed: (problem) => a.failed({ problem }),
});
