export { cookieName } from './cookies.ts';
export { readInput } from './input.ts';
export { answerErrors } from './errors.ts';
export { mountRoutes, type Identify } from './mount.ts';
export { describeApi } from './openapi.ts';
export { defineRoute, formatRoute, type Answer, type Request, type Route } from './route.ts';
