export { listenReturns, type ListenReturnsOptions } from './listen-returns.js';
export { listenSubmission } from './submission.js';
export { returnIntake, type ReturnIntake, type TakenReturn } from './returns.js';
