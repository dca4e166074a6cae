export { listenSubmission } from './listen.js';
export { SubmissionSettings } from './settings.js';
export { openSubmission } from './feature.js';
