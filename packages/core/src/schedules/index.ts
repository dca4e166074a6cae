export { compileSchedules, type CompiledSchedules } from './compile.js';
export { sendingProblems } from './problems.js';
export { type RecipientSource, type Schedule } from './schedule.js';
export { ScheduleFile } from './schedule-file.js';
