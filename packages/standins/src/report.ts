/** What a report is made of. Times in milliseconds since the epoch. */
export interface ReportInput {
  readonly reportingMta: string;
  readonly recipient: string;
  readonly returnPath: string;
  readonly action: 'failed' | 'delivered';
  readonly arrivedAt: number;
  readonly now: number;
  readonly original: Uint8Array;
  readonly id: string;
}

/** A delivery status notification (RFC 3464) as a mail server writes it, with the header of the returned mail. */
export function deliveryReport(input: ReportInput): Uint8Array {
  const failed = input.action === 'failed';
  const boundary = `report-${input.id}`;
  const original = Buffer.from(input.original).toString('latin1');
  const header = original.slice(0, original.search(/\r?\n\r?\n/) + 2);
  const date = new Date(input.now).toUTCString().replace('GMT', '+0000');
  const words = failed
    ? `Your mail to ${input.recipient} could not be delivered.\r\nThe server that keeps the mailbox said:\r\n    550 5.1.1 <${input.recipient}>: no such user here\r\n`
    : `Your mail to ${input.recipient} was delivered.\r\n`;
  const lines = [
    `From: Mail system <postmaster@${input.reportingMta}>`,
    `To: <${input.returnPath}>`,
    `Subject: ${failed ? 'Undeliverable mail' : 'Delivered mail'}`,
    `Date: ${date}`,
    `Message-ID: <${input.id}@${input.reportingMta}>`,
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
    `Reporting-MTA: dns; ${input.reportingMta}`,
    `Arrival-Date: ${new Date(input.arrivedAt).toUTCString().replace('GMT', '+0000')}`,
    '',
    `Final-Recipient: rfc822; ${input.recipient}`,
    `Action: ${input.action}`,
    `Status: ${failed ? '5.1.1' : '2.0.0'}`,
    ...(failed
      ? [`Remote-MTA: dns; mailbox.${input.reportingMta}`, `Diagnostic-Code: smtp; 550 5.1.1 <${input.recipient}>: no such user here`]
      : []),
    '',
    `--${boundary}`,
    'Content-Type: text/rfc822-headers',
    '',
    header,
    `--${boundary}--`,
    '',
  ];
  return Buffer.from(lines.join('\r\n'), 'latin1');
}
