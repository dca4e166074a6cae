export { SYSTEM_CLOCK, type Clock } from './clock.js';
export { copyDatabase, openKernel, startErrorOf, type Kernel, type KernelOptions } from './database.js';
export { isQuarantined, quarantineOn, type PoisonItem, type Quarantine, type QuarantinedRow } from './quarantine.js';
export { unavailableOf } from './group-commit.js';
export { reading, writing, type Reader, type Tx } from './transaction.js';
export { StartError, StoreUnavailable } from './unavailable.js';
export { worker, workerGroup, type StepResult, type Worker, type WorkerGroup, type WorkerHealth } from './worker.js';
export { Budget, BudgetExceeded, type BudgetLimits } from './budget.js';
export { boundedThread, inThread, startThread, threadFile, ThreadFault, type Remote, type Thread } from './thread.js';
