import type { Client, DomainRecord, DomainView } from '@verbalis/client';
import { tableText, UsageError, type ExitCode, type Output } from '../output.js';
import { clockTime } from '../words.js';
import { domainText, recordsText, stateSign, summaryOf, verificationText } from './text.js';

interface Shown {
  readonly json?: boolean;
}

function show(domain: DomainView, output: Output, text = domainText(domain, output)): void {
  output.result(domain, text);
}

/** Whether something is missing or wrong that email suffers from. */
const exitCode = ({ state }: DomainView): ExitCode => (state === 'right' ? 0 : 1);

/** Adds a sending domain: makes its keys and lists what to publish in the DNS. */
export async function addDomain(
  client: Client,
  name: string,
  options: Shown & { readonly returnHost?: string; readonly linkHost?: string; readonly policy?: DomainView['policy'] },
  output: Output,
): Promise<ExitCode> {
  const { returnHost, linkHost, policy } = options;
  const domain = await client.domains.add({
    name,
    ...(returnHost === undefined ? {} : { returnHost }),
    ...(linkHost === undefined ? {} : { linkHost }),
    ...(policy === undefined ? {} : { policy }),
  });
  show(domain, output, [domain.name, ...domain.notes, '', recordsText(domain, output)].join('\n'));
  if (options.json !== true) {
    output.note('Publish these records; the service looks for them every minute, and signs when the keys are there.');
    output.note(`As lines of a zone file: verbalis domains records ${domain.name} --format zone`);
    output.note(`For the owner of the DNS: verbalis domains share ${domain.name}`);
  }
  return 0;
}

export async function listDomains(client: Client, { json = false }: Shown, output: Output): Promise<ExitCode> {
  const { domains } = await client.domains.list();
  if (json) output.json({ domains });
  else if (domains.length === 0) output.out('No domain was added yet: verbalis domains add NAME');
  else {
    const columns = [
      { title: 'domain' },
      { title: 'state' },
      { title: 'signing' },
      { title: 'return host' },
      { title: 'checked' },
      { title: '' },
    ];
    const rows = domains.map((domain) => [
      domain.name,
      stateSign(domain.state, output),
      domain.signing ? 'yes' : 'not yet',
      domain.returnHostLive ? domain.returnHost : `${domain.returnHost} (not yet)`,
      domain.checkedAt === undefined ? '' : clockTime(domain.checkedAt),
      domain.state === 'right' ? '' : summaryOf(domain),
    ]);
    output.out(tableText(columns, rows, output.color));
  }
  return 0;
}

/** How a domain was at its last check. */
export async function showDomain(client: Client, name: string, output: Output): Promise<ExitCode> {
  show(await client.domains.get(name), output);
  return 0;
}

/** Asks the name servers now. Exits with 1 unless all records are right. */
export async function checkDomain(client: Client, name: string, output: Output): Promise<ExitCode> {
  const domain = await client.domains.check(name);
  show(domain, output);
  return exitCode(domain);
}

export async function changeDomain(
  client: Client,
  name: string,
  options: Shown & { readonly returnHost?: string; readonly linkHost?: string; readonly policy?: DomainView['policy'] },
  output: Output,
): Promise<ExitCode> {
  const { returnHost, linkHost, policy } = options;
  const domain = await client.domains.change(name, {
    ...(returnHost === undefined ? {} : { returnHost }),
    ...(linkHost === undefined ? {} : { linkHost }),
    ...(policy === undefined ? {} : { policy }),
  });
  show(domain, output);
  return 0;
}

export async function rotateKeys(client: Client, name: string, output: Output): Promise<ExitCode> {
  const domain = await client.domains.rotate(name);
  show(domain, output);
  if (!output.isForMachines) output.note('Publish the new keys; the old ones sign until they are there. Leave the old records for now.');
  return 0;
}

export async function shareDomain(
  client: Client,
  name: string,
  { days, end = false, json = false }: Shown & { readonly days: number; readonly end?: boolean },
  output: Output,
): Promise<ExitCode> {
  if (end) {
    await client.domains.unshare(name);
    output.result({ ended: name }, `The pages that show ${name} without a sign-in show nothing any more.`);
    return 0;
  }
  const page = await client.domains.share(name, { days });
  if (json) output.json(page);
  else {
    output.out(page.url);
    output.note(`It shows the records without a sign-in, and ends on ${page.expiresAt.slice(0, 10)}.`);
  }
  return 0;
}

/** How long a test email is waited for, and how often is asked whether it has come; in milliseconds. */
const [PATIENCE_MS, POLL_MS] = [5 * 60_000, 500];

/** Sends a test email to ourselves, and shows how a receiver judges it. Exits with 1 if something is wrong. */
export async function verifyDomain(
  client: Client,
  name: string,
  { space, json = false }: Shown & { readonly space?: string },
  output: Output,
): Promise<ExitCode> {
  let outcome = await client.domains.verify(name, space === undefined ? {} : { space });
  const { messageId } = outcome;
  if (!json) output.note(`A test email goes through the route of ${outcome.space} (${messageId}); it is waited for up to five minutes …`);
  const until = Date.now() + PATIENCE_MS;
  while (outcome.state === 'under-way' && Date.now() < until) {
    await new Promise((done) => setTimeout(done, POLL_MS));
    outcome = await client.domains.verification(name);
    if (outcome.messageId !== messageId) throw new UsageError('Another test email of this domain was sent in the meantime.');
  }
  output.result(outcome, verificationText(outcome, output));
  return outcome.state === 'arrived' && outcome.results.every(({ state }) => state !== 'wrong') ? 0 : 1;
}

export async function removeDomain(client: Client, name: string, output: Output): Promise<ExitCode> {
  const { name: removed } = await client.domains.get(name);
  await client.domains.remove(name);
  if (output.isForMachines) output.json({ removed });
  else output.out(`${removed} removed with its keys. Its email is no longer signed; bounces to its return host are accepted for 30 days.`);
  return 0;
}

/** The checks of a domain with what each name server answered. */
export async function domainLog(
  client: Client,
  name: string,
  { json = false, answers = false, limit }: Shown & { readonly answers?: boolean; readonly limit: number },
  output: Output,
): Promise<ExitCode> {
  const { checks } = await client.domains.checks(name, { limit });
  if (json) {
    output.json({ checks });
    return 0;
  }
  if (checks.length === 0) output.out('It was not checked yet.');
  for (const check of checks) {
    const until = check.times === 1 ? '' : ` to ${clockTime(check.lastAt)}, ${check.times} checks`;
    output.out(output.color.bold(`${clockTime(check.firstAt)}${until}: ${check.state}`));
    for (const record of check.records.filter(({ findings }) => findings.length > 0))
      output.out(`  ${record.type} ${record.name}: ${record.findings.map(({ sentence }) => sentence).join(' ')}`);
    if (answers)
      for (const { server, question, answer } of check.answers)
        output.out(output.color.dim(`    ${server === '' ? 'resolver' : server}: ${question}: ${answer.replaceAll('\n', ' | ')}`));
  }
  return 0;
}

/** The records of one domain: to be read, as lines of a zone file, or for machines. */
export async function domainRecords(
  client: Client,
  name: string,
  { format, json = false }: { readonly format: 'text' | 'zone' | 'json'; readonly json?: boolean },
  output: Output,
): Promise<ExitCode> {
  const domain = await client.domains.get(name);
  const { records } = domain;
  const zoneLines = (all: readonly DomainRecord[]): string => all.map(({ zoneLine }) => zoneLine).join('\n');
  if (json || format === 'json') output.json({ records });
  else output.out(format === 'zone' ? zoneLines(records) : recordsText(domain, output));
  return 0;
}
