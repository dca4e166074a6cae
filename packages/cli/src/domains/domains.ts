import type { Client, DomainView } from '@verbalis/client';
import { UsageError, type ExitCode, type Output } from '../output.js';

function domainText(domain: DomainView, { color }: Output): string {
  return [color.bold(domain.name), ...domain.records.map((record) => `  ${record.name}  ${record.type}\n    ${record.text}`)].join('\n');
}

/** Makes the keys of a sending domain and says what to publish in the DNS. */
export async function addDomain(client: Client, name: string, { json = false }: { json?: boolean }, output: Output): Promise<ExitCode> {
  const domain = await client.domains.add({ name });
  if (json) output.out(JSON.stringify(domain, null, 2));
  else {
    output.out(domainText(domain, output));
    output.note('Publish these records; mail from this domain is signed with both keys from now on.');
    output.note(`As lines of a zone file: verbalis domains records ${domain.name} --format zone`);
  }
  return 0;
}

export async function listDomains(client: Client, { json = false }: { json?: boolean }, output: Output): Promise<ExitCode> {
  const { domains } = await client.domains.list();
  if (json) output.out(JSON.stringify({ domains }, null, 2));
  else
    output.out(
      domains.length === 0
        ? 'No domain has keys yet: verbalis domains add NAME'
        : domains.map((domain) => domainText(domain, output)).join('\n\n'),
    );
  return 0;
}

export const RECORD_FORMATS = ['text', 'zone', 'json'] as const;

/** The records of one domain: to be read, as lines of a zone file, or for machines. */
export async function domainRecords(
  client: Client,
  name: string,
  { format, json = false }: { readonly format: (typeof RECORD_FORMATS)[number]; readonly json?: boolean },
  output: Output,
): Promise<ExitCode> {
  const { domains } = await client.domains.list();
  const wanted = name.toLowerCase().replace(/\.$/, '');
  const domain = domains.find((other) => other.name === wanted);
  if (domain === undefined) {
    const known = domains.map((other) => other.name).join(', ');
    throw new UsageError(
      `There is no domain "${name}" here.`,
      known === '' ? `Add it with: verbalis domains add ${wanted}` : `There are: ${known}.`,
    );
  }
  if (json || format === 'json') output.out(JSON.stringify({ records: domain.records }, null, 2));
  else output.out(format === 'zone' ? domain.records.map((record) => record.zoneLine).join('\n') : domainText(domain, output));
  return 0;
}
