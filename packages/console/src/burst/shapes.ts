import type { ShownRun } from '@underbell/core/burst/apiTypes';

export const isActive = (run: ShownRun) => run.state === 'waiting' || run.state === 'running';
