import type { Capability } from '../platform/index.ts';

/** Files of copies, made of a job: rows and figures of all from one scan, each file once for all who share it. */
export const copies: Capability = { name: 'copies' };
