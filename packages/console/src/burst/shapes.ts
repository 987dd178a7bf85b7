import type { ShownRun } from '@underbell/core/burst/answers';

export const isActive = (run: ShownRun) => run.state === 'waiting' || run.state === 'running';
