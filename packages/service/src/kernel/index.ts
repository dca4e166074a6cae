export { SYSTEM_CLOCK, type Clock } from './clock.js';
export { copyDatabase, openKernel, startErrorOf, type Kernel, type KernelOptions } from './database.js';
export { isQuarantined, quarantineOn, type PoisonItem, type Quarantine, type QuarantinedRow } from './quarantine.js';
export { unavailableOf } from './group-commit.js';
export { placeholders, reading, writing, type Reader, type Tx } from './transaction.js';
export { StartError, StoreUnavailable } from './unavailable.js';
export { worker, workerGroup, type StepResult, type Worker, type WorkerGroup, type WorkerHealth } from './worker.js';
export { Budget, BudgetExceeded, type BudgetLimits } from './budget.js';
export { boundedThread, inThread, startThread, threadFile, ThreadFault, type Remote, type Thread } from './thread.js';
export { type Secrets, readSecrets } from './secrets.js';
export { endStreams, openStream } from './stream.js';
export { Refusal, type RequestProblem, invalid } from './refusal.js';
export { newId, idSince } from './ids.js';
export { fetchOutside, OutsideFault, type OutsideRules, outsideAgent, refuseInside } from './outbound.js';
export { fromBase64 } from './base64.js';
export { sparing } from './sparing.js';
export { encrypt, decrypt } from './encrypt.js';
export { retention, type RetentionAges, type RetentionRule } from './retention.js';
export { Host, Name, Port, Seconds } from './setting-fields.js';
export { EVERY_SCOPE, requireScope, sameSecret, SCOPES, type Access, type Caller, type Scope } from './access.js';
export {
  bytesBody,
  content,
  empty,
  endpointsOf,
  eventStream,
  json,
  jsonBody,
  optionalJsonBody,
  Reply,
  serve,
  streamBody,
  textParams,
  type Endpoint,
  type ServedEndpoint,
} from './endpoint.js';
export { endpointRouter } from './router.js';
export { apiDocument, type ApiGroup } from './api-document.js';
export { faultsOf, problemHandler } from './problem.js';
export { IdCursor, instant, Limit, NumberCursor, numberCursor, oneLine, pageOf, RequestFault, Time } from './fields.js';
export { portFault } from './ports.js';
export type { Feature, Runtime, Running } from './feature.js';
