import type { Client, ReturnView } from '@verbalis/client';
import { tableText, type ExitCode, type Output } from '../output.js';
import { clockTime } from '../words.js';
import { emailsOf } from './read.js';

export interface ReturnsOptions {
  readonly kind?: ReturnView['kind'];
  readonly matched?: 'yes' | 'no';
  readonly limit?: string;
  readonly cursor?: string;
  readonly json?: boolean;
}

function saysOf(report: ReturnView): string {
  if (report.feedbackType !== undefined) return report.feedbackType;
  const [first] = report.recipients;
  if (first === undefined) return report.problem ?? report.subject ?? '';
  const why = first.action === 'failed' || first.action === 'delayed' ? `: ${first.cause}` : '';
  return `${first.action}${why}${report.recipients.length > 1 ? ` and ${report.recipients.length - 1} more` : ''}`;
}

export async function listReturns(client: Client, { json, limit, ...filter }: ReturnsOptions, output: Output): Promise<ExitCode> {
  const page = await client.returns.list({ ...filter, ...(limit === undefined ? {} : { limit: Number(limit) }) });
  if (json === true) output.json(page);
  else if (page.returns.length === 0) output.note('Nothing has come back. Hand something in: verbalis returns add FILE');
  else
    output.out(
      tableText(
        [{ title: 'came' }, { title: 'kind' }, { title: 'about' }, { title: 'says' }, { title: 'matched' }, { title: 'return' }],
        page.returns.map((report) => [
          clockTime(report.receivedAt),
          report.kind,
          report.recipients[0]?.address ?? report.from ?? '',
          saysOf(report),
          report.matched ? 'yes' : output.color.yellow('no'),
          output.color.dim(report.id),
        ]),
        output.color,
      ),
    );
  if (page.nextCursor !== undefined && json !== true) output.note(`More: --cursor ${page.nextCursor}`);
  return 0;
}

export async function showReturn(
  client: Client,
  id: string,
  options: { json?: boolean; source?: boolean },
  output: Output,
): Promise<ExitCode> {
  if (options.source === true) {
    output.out(Buffer.from(await client.returns.source(id)).toString('utf8'));
    return 0;
  }
  const one = await client.returns.get(id);
  if (options.json === true) {
    output.json(one);
    return 0;
  }
  const { color } = output;
  const rows: [string, string | undefined][] = [
    ['Came', `${one.receivedAt} by ${one.source}${one.provider === undefined ? '' : ` of ${one.provider}`}`],
    ['From', one.from],
    ['Subject', one.subject],
    ['Sent to', one.envelopeTo],
    ['About', one.messageId === undefined ? undefined : `message ${one.messageId}, delivery ${one.deliveryId ?? ''}`],
    ['Feedback', one.feedbackType === undefined ? undefined : [one.feedbackType, ...(one.about ?? [])].join(', ')],
    ['Problem', one.problem],
  ];
  output.out(color.bold(`${one.id}  ${one.kind}${one.matched ? '' : '  (unmatched)'}`));
  for (const [name, value] of rows) if (value !== undefined) output.out(`  ${name.padEnd(9)} ${value}`);
  for (const report of one.recipients) {
    output.out(`\n  ${report.address}: ${report.action}, ${report.cause} ${color.dim(`(${report.confidence}: ${report.evidence})`)}`);
    if (report.diagnostic !== undefined) output.out(`    ${report.diagnostic}`);
  }
  if (!one.matched) output.note('Say which delivery it is about: verbalis returns match RETURN DELIVERY');
  return 0;
}

export async function matchReturn(
  client: Client,
  { id, delivery }: { readonly id: string; readonly delivery: string },
  output: Output,
): Promise<ExitCode> {
  const one = await client.returns.match(id, { deliveryId: delivery });
  output.result(one, `${one.id} is about the delivery ${delivery}.`);
  return 0;
}

/** Hands emails in: files, mbox files, Maildirs. Ends with 1 when one of them could not be matched. */
export async function addReturns(
  client: Client,
  paths: readonly string[],
  options: { json?: boolean; envelopeTo?: string },
  output: Output,
): Promise<ExitCode> {
  const counts = { matched: 0, unmatched: 0, repeated: 0 };
  let done = 0;
  let reported = Date.now();
  for await (const { file, bytes } of emailsOf(paths)) {
    const { returns } = await client.returns.add(bytes, options.envelopeTo === undefined ? {} : { envelopeTo: options.envelopeTo });
    for (const one of returns) {
      counts[one.repeated ? 'repeated' : one.deliveryId === undefined ? 'unmatched' : 'matched'] += 1;
      if (options.json === true) output.json({ file, ...one });
    }
    done += 1;
    if (Date.now() - reported > 1000) {
      output.note(`${done} uploaded …`);
      reported = Date.now();
    }
  }
  if (options.json !== true)
    output.out(`${done} uploaded: ${counts.matched} matched, ${counts.unmatched} unmatched, ${counts.repeated} known already.`);
  return counts.unmatched > 0 ? 1 : 0;
}
