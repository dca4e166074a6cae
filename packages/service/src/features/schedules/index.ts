export { openSchedules } from './feature.js';
export { scheduleEndpoints } from './endpoints.js';
export { scheduleStore, type ScheduleRecords } from './queries.js';
