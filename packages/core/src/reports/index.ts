export { readDmarcReport, type DmarcReport, type DmarcReportRow } from './dmarc-report.js';
export { proveReporter, type ReporterProof, type ReportMail } from './reporter.js';
export { readTlsReport, type TlsFailure, type TlsReport } from './tls-report.js';
