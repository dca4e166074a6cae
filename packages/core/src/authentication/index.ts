export { type DnsAnswer, type DnsAsk, type DnsType } from './dns.js';
export { evaluateSpf, type SpfInput, type SpfResult, type SpfVerdict } from './spf.js';
export { verifyDkim, type DkimInput, type DkimVerdict } from './dkim.js';
export {
  evaluateDmarc,
  isDmarcRecord,
  organizationalDomain,
  publishedPolicy,
  readDmarc,
  type DmarcInput,
  type DmarcPolicy,
  type DmarcRecord,
  type DmarcVerdict,
} from './dmarc.js';
export { readDkimKey, type DkimKey } from './dkim-key.js';
export { isSpfRecord, readSpf } from './spf-record.js';
