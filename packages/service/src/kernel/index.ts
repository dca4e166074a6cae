export { boundedCache } from './cache.js';
export { SYSTEM_CLOCK, type Clock, type ClockJump } from './clock.js';
export { openKernel, type Kernel, type KernelOptions } from './database.js';
export { layoutOf, type ChangeRecord, type RowChange } from './change-layout.js';
export { openCopy, readRecords, type Most } from './change-records.js';
export { leaveLog, positionOf, setPosition } from './change-log.js';
export { BEGINNING, type ChangeSink, type GroupRecord, type LogPlace, type PlannedGroup } from './change-sink.js';
export { follow, placeOfFile, type FilePlace, type Following, type FollowOptions, type Follows, type LoggedGroup } from './follow.js';
export { startErrorOf } from './start-error.js';
export {
  faultsOfFile,
  manifestFile,
  readManifest,
  settleCopy,
  snapshotThread,
  syncFile,
  takeSnapshot,
  verifyCopy,
  writeWhole,
  Manifest,
} from './snapshot.js';
export { listeners, type Listeners } from './listeners.js';
export { lockFile } from './lock.js';
export { copyPrivately } from './private-file.js';
export { auditing, openReading, readAtOnce, type Audit, type Auditor } from './audit.js';

export { isQuarantined, quarantineOn, type PoisonItem, type Quarantine, type QuarantinedRow } from './quarantine.js';
export { unavailableOf } from './group-commit.js';
export { placeholders, reading, writing, type Reader, type Tx } from './transaction.js';
export { StartError, StoreUnavailable } from './unavailable.js';
export { worker, workerGroup, type StepResult, type Worker, type WorkerGroup, type WorkerHealth } from './worker.js';
export { bareApp } from './bare-app.js';
export { isLocalName, isLoopback, networks, plainAddress, sourceOf } from './networks.js';
export { boundedThread, inThread, inTime, startThread, threadFile, ThreadFault, type Remote, type Thread } from './thread.js';
export { type Secrets, readSecrets } from './secrets.js';
export { signedTokens, type BoundTo, type OpenedToken, type SignedTokens } from './signed-token.js';
export { publicRouter, sendPage, type PageLanguage } from './public-page.js';
export { sealedTokens, type SealedTokens } from './sealed-token.js';
export { endStreams, limitStreams, openStream, type StreamLimits } from './stream.js';
export { Refusal, type RequestProblem, invalid } from './refusal.js';
export { newId, idSince, idTime } from './ids.js';
export { httpConnections, type HttpConnections } from './http-connections.js';
export { fetchOutside, OutsideFault, type OutsideRules, outsideConnections, refuseInside, retryAfterMs } from './outbound.js';
export { fromBase64 } from './base64.js';
export { shared, type Apart } from './apart.js';
export { encrypt, decrypt } from './encrypt.js';
export { retention, type RetentionAges, type RetentionRule } from './retention.js';
export { Host, Name, Network, Port, Seconds } from './setting-fields.js';
export {
  EVERY_SCOPE,
  NOBODY,
  requireContent,
  requireScope,
  sameSecret,
  SCOPES,
  type Access,
  type AccessNeeds,
  type Actor,
  type Caller,
  type CallerKey,
  type KeyBounds,
  type Scope,
} from './access.js';
export {
  bytesBody,
  content,
  empty,
  endpointsOf,
  eventStream,
  json,
  jsonBody,
  smallJsonBody,
  optionalJsonBody,
  Reply,
  serve,
  streamBody,
  textParams,
  type Audited,
  type Endpoint,
  type ServedEndpoint,
} from './endpoint.js';
export { endpointRoutes, refusedByStandby, type Standby } from './router.js';
export { completeAct, outsideActs, type AuditedEndpoint, type AuditEntry, type AuditLog } from './audit-log.js';
export { apiDocument, type ApiGroup } from './api-document.js';
export { faultsOf, problemHandler } from './problem.js';
export { IdCursor, instant, Limit, NumberCursor, numberCursor, oneLine, optionalInstant, pageOf, RequestFault, Time } from './fields.js';
export { queryDns, type DnsQuery, type DnsReply } from './dns-query.js';
export { portFault } from './ports.js';
export type { Feature, Runtime, Running } from './feature.js';
export { listenMetrics, metricsAnswer, MetricsSettings } from './metrics.js';
export { traceOf, type TraceContext } from './trace.js';
