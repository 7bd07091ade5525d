import { parentPort } from 'node:worker_threads';
import { serveCalls } from '@versicle/files';
import { lookMethods } from './look-methods.ts';

serveCalls(parentPort!, lookMethods);
