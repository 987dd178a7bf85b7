export { ownCharts } from './charts.ts';
export type { WorksCompany, WorksQuay, WorksSetup } from './setup.ts';
export { WorksApp } from './worksApp.ts';
