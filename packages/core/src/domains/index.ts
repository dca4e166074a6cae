export { characterStrings, zoneLine } from './zone.js';
export { valueOf, type DnsRecord } from './record.js';
export { wantedRecords, type DomainNeeds, type Purpose, type SendingProvider, type Wanted, type WantedRecord } from './wanted.js';
export type { Finding, FindingKind } from './finding.js';
export { judgeOldKey, judgeRecord, type RecordState, type RecordVerdict } from './judge.js';
export type { AnswerRecord, NameServers, ZoneAnswer, ZoneServers, ZoneType } from './servers.js';
export { guideOf, type Guide } from './guide.js';
export { afterCheck, isSigning, neededUntil, type KeyTimes } from './lifecycle.js';
