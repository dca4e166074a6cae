import type { Client } from '@verbalis/client';
import { tableText, type ExitCode, type Output } from '../output.js';

export async function listProviders(client: Client, { json = false }: { json?: boolean }, output: Output): Promise<ExitCode> {
  const { providers } = await client.providers.list();
  if (json) output.out(JSON.stringify({ providers }, null, 2));
  else if (providers.length === 0) output.out('No provider is configured. Add one under "providers" in verbalis.yaml.');
  else
    output.out(
      tableText(
        [{ title: 'name' }, { title: 'kind' }, { title: 'state' }, { title: 'where' }],
        providers.map((provider) => [provider.name, provider.kind, provider.state, provider.where]),
        output.color,
      ),
    );
  return 0;
}

/** Looks into a provider and says what to fix. Ends with 1 when it does not work. */
export async function testProvider(
  client: Client,
  name: string,
  options: { to?: string; json?: boolean },
  output: Output,
): Promise<ExitCode> {
  const report = await client.providers.test(name, options.to === undefined ? {} : { to: options.to });
  if (options.json === true) {
    output.out(JSON.stringify(report, null, 2));
    return report.ok ? 0 : 1;
  }
  const { color } = output;
  const width = Math.max(...report.findings.map((finding) => finding.step.length));
  const lines = report.findings.map((finding) => {
    const mark = finding.ok ? color.green('✓') : color.red('✗');
    const hint = finding.hint === undefined ? '' : `\n  ${' '.repeat(width)}            ${color.cyan(finding.hint)}`;
    return `${mark} ${finding.step.padEnd(width)}  ${`${finding.milliseconds} ms`.padStart(8)}  ${finding.detail}${hint}`;
  });
  const verdict = report.ok ? color.green(`${report.name} works.`) : color.red(`${report.name} does not work as configured.`);
  output.out([`${report.name} (${report.kind}, ${report.where})`, ...lines, verdict].join('\n'));
  return report.ok ? 0 : 1;
}

/** Pauses a provider, or resumes it. */
export async function pauseProvider(
  client: Client,
  name: string,
  { paused }: { readonly paused: boolean },
  output: Output,
): Promise<ExitCode> {
  await (paused ? client.providers.pause(name) : client.providers.resume(name));
  output.out(paused ? `${name} is paused: its email is sent through the next provider of the route, or waits.` : `${name} is resumed.`);
  return 0;
}
