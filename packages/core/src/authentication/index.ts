export { type DnsAnswer, type DnsAsk, type DnsType } from './dns.js';
export { evaluateSpf, type SpfInput, type SpfResult, type SpfVerdict } from './spf.js';
export { verifyDkim, type DkimInput, type DkimVerdict } from './dkim.js';
export { evaluateDmarc, organizationalDomain, type DmarcInput, type DmarcVerdict } from './dmarc.js';
