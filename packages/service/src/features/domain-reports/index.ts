export { reportStore, type ReportRecords } from './queries.js';
export { reportEndpoints } from './endpoints.js';
export { openDomainReports } from './feature.js';
