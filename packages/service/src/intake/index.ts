export { listenSubmission } from './submission.js';
export { returnIntake, type IntakeOptions } from './intake.js';
