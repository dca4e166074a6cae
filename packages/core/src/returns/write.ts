/** What a report is made of. Times in milliseconds since the epoch. */
export interface ReportInput {
  readonly reportingMta: string;
  readonly recipient: string;
  readonly returnPath: string;
  readonly action: 'failed' | 'delayed' | 'delivered';
  /** Enhanced status code (RFC 3463) and what the server said; those of an unknown mailbox when left out. */
  readonly status?: string;
  readonly diagnostic?: string;
  readonly arrivedAt: number;
  readonly now: number;
  readonly original: Uint8Array;
  readonly id: string;
}

const dateOf = (at: number): string => new Date(at).toUTCString().replace('GMT', '+0000');

/** The header of an email, as reports bring it back. */
function headerOf(mail: Uint8Array): string {
  const text = Buffer.from(mail.buffer, mail.byteOffset, mail.byteLength).toString('latin1');
  const end = text.search(/\r?\n\r?\n/);
  return end === -1 ? text : text.slice(0, end + 2);
}

/** A delivery status notification (RFC 3464) as a mail server writes it, with the header of the returned mail. */
export function writeReport(input: ReportInput): Uint8Array {
  const { action, recipient, reportingMta } = input;
  const boundary = `report-${input.id}`;
  const hasFailed = action !== 'delivered';
  const status = input.status ?? (action === 'delivered' ? '2.0.0' : action === 'failed' ? '5.1.1' : '4.2.2');
  const diagnostic = input.diagnostic ?? `550 5.1.1 <${recipient}>: no such user here`;
  const words = {
    failed: `Your mail to ${recipient} could not be delivered.\r\nThe server that keeps the mailbox said:\r\n    ${diagnostic}\r\n`,
    delayed: `Your mail to ${recipient} is delayed; it is tried again.\r\nThe server said:\r\n    ${diagnostic}\r\n`,
    delivered: `Your mail to ${recipient} was delivered.\r\n`,
  }[action];
  const lines = [
    `From: Mail system <postmaster@${reportingMta}>`,
    `To: <${input.returnPath}>`,
    `Subject: ${{ failed: 'Undeliverable mail', delayed: 'Delayed mail', delivered: 'Delivered mail' }[action]}`,
    `Date: ${dateOf(input.now)}`,
    `Message-ID: <${input.id}@${reportingMta}>`,
    'Auto-Submitted: auto-replied',
    'MIME-Version: 1.0',
    `Content-Type: multipart/report; report-type=delivery-status; boundary="${boundary}"`,
    '',
    `--${boundary}`,
    'Content-Type: text/plain; charset=us-ascii',
    '',
    words,
    `--${boundary}`,
    'Content-Type: message/delivery-status',
    '',
    `Reporting-MTA: dns; ${reportingMta}`,
    `Arrival-Date: ${dateOf(input.arrivedAt)}`,
    '',
    `Final-Recipient: rfc822; ${recipient}`,
    `Action: ${action}`,
    `Status: ${status}`,
    ...(hasFailed ? [`Remote-MTA: dns; mailbox.${reportingMta}`, `Diagnostic-Code: smtp; ${diagnostic}`] : []),
    '',
    `--${boundary}`,
    'Content-Type: text/rfc822-headers',
    '',
    headerOf(input.original),
    `--${boundary}--`,
    '',
  ];
  return Buffer.from(lines.join('\r\n'), 'latin1');
}

/** A complaint (RFC 5965, "abuse") as a mailbox provider sends it, with the header of the mail that is meant. */
export function writeComplaint(input: Omit<ReportInput, 'action' | 'status' | 'diagnostic'>): Uint8Array {
  const boundary = `feedback-${input.id}`;
  const lines = [
    `From: Feedback <feedback@${input.reportingMta}>`,
    `To: <${input.returnPath}>`,
    'Subject: Complaint about an email',
    `Date: ${dateOf(input.now)}`,
    `Message-ID: <${input.id}@${input.reportingMta}>`,
    'MIME-Version: 1.0',
    `Content-Type: multipart/report; report-type=feedback-report; boundary="${boundary}"`,
    '',
    `--${boundary}`,
    'Content-Type: text/plain; charset=us-ascii',
    '',
    `${input.recipient} reported this mail as unwanted.`,
    '',
    `--${boundary}`,
    'Content-Type: message/feedback-report',
    '',
    'Feedback-Type: abuse',
    `User-Agent: ${input.reportingMta}/1`,
    'Version: 1',
    `Original-Mail-From: <${input.returnPath}>`,
    `Original-Rcpt-To: ${input.recipient}`,
    `Arrival-Date: ${dateOf(input.arrivedAt)}`,
    '',
    `--${boundary}`,
    'Content-Type: text/rfc822-headers',
    '',
    headerOf(input.original),
    `--${boundary}--`,
    '',
  ];
  return Buffer.from(lines.join('\r\n'), 'latin1');
}
