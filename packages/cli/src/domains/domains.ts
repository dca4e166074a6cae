import type { Client, DomainView } from '@verbalis/client';
import type { ExitCode, Output } from '../output.js';

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
