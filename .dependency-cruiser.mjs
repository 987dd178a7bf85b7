// Which way imports may go: between packages, between capabilities of the service, and between layers of one capability.
import { readFileSync } from 'node:fs';

/** Which packages of ours each package may import; everything else goes over HTTP. */
const packages = {
  core: [],
  service: ['core'],
  viewer: ['core'],
  player: ['core'],
  console: ['core'],
  cli: ['core'],
  element: [],
  standins: [],
};
const packageRules = Object.entries(packages).map(([name, others]) => ({
  name: `${name} imports ${['itself', ...others].join(' and ')} only`,
  severity: 'error',
  from: { path: `^packages/${name}/src/` },
  to: { path: '^packages/', pathNot: `^packages/(${[name, ...others].join('|')})/` },
}));

/** The capabilities of the service, in the order in which they may use each other; said once, where they are listed. */
const listed = readFileSync(new URL('packages/service/src/capabilities.ts', import.meta.url), 'utf8');
const order = [.../readonly Capability\[\] = \[([^\]]*)\]/.exec(listed)[1].matchAll(/\w+/g)].map(([name]) => name);
const service = '^packages/service/src/';
const orderRules = order.slice(0, -1).map((name, i) => ({
  name: `${name} uses none of the capabilities after it`,
  severity: 'error',
  from: { path: `${service}${name}/` },
  to: { path: `${service}(${order.slice(i + 1).join('|')})/` },
}));

export default {
  forbidden: [
    ...packageRules,
    ...orderRules,
    {
      name: 'no circle',
      severity: 'error',
      from: { path: '^packages/' },
      to: { circular: true },
    },
    {
      name: 'the platform knows no capability',
      severity: 'error',
      from: { path: `${service}platform/` },
      to: { path: `${service}(${order.join('|')})/` },
    },
    {
      name: 'another capability is used by its index, which exports use cases',
      severity: 'error',
      from: { path: `${service}(${order.join('|')})/` },
      to: {
        path: `${service}(${order.join('|')})/`,
        pathNot: [`${service}$1/`, `${service}[^/]+/index\\.ts$`],
      },
    },
    {
      name: 'an index exports no routes',
      severity: 'error',
      from: { path: `${service}[^/]+/index\\.ts$`, pathNot: `${service}(platform|view)/` },
      to: { path: '[rR]outes\\.ts$' },
    },
    {
      name: 'a store knows no use cases and no routes',
      severity: 'error',
      from: { path: `${service}.*[sS]tore\\.ts$` },
      to: { path: `${service}.*([uU]secases|[rR]outes)\\.ts$` },
    },
    {
      name: 'use cases know no routes',
      severity: 'error',
      from: { path: `${service}.*[uU]secases\\.ts$` },
      to: { path: `${service}.*[rR]outes\\.ts$` },
    },
    {
      name: 'core computes only',
      severity: 'error',
      from: { path: '^packages/core/src/' },
      to: {
        path: '^(node:)?(fs|http|https|net|child_process|os|timers)(/|$)|node_modules/(pg|koa|sequelize|vue|nodemailer)/',
      },
    },
    {
      name: 'what is imported is there',
      severity: 'error',
      from: { path: '^packages/' },
      to: { couldNotResolve: true },
    },
  ],
  options: {
    tsPreCompilationDeps: true,
    tsConfig: { fileName: 'tsconfig.json' },
    doNotFollow: { path: 'node_modules/' },
    enhancedResolveOptions: {
      exportsFields: ['exports'],
      conditionNames: ['import', 'default'],
      extensions: ['.ts', '.vue', '.mjs', '.js', '.d.ts'],
    },
  },
};
