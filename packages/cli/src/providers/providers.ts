import type { Client, Provider } from '@verbalis/client';
import { tableText, type ExitCode, type Output } from '../output.js';
import { clockTime } from '../words.js';

/** Why a provider is not working, since when, and when it is tried again. */
function whyText({ why, since, until }: Provider): string {
  const times = [
    since === undefined ? [] : [`since ${clockTime(since)}`],
    until === undefined ? [] : [`tried again at ${clockTime(until)}`],
  ].flat();
  return [why ?? '', times.length === 0 ? '' : `(${times.join(', ')})`].filter((text) => text !== '').join(' ');
}

export async function listProviders(client: Client, { json = false }: { json?: boolean }, output: Output): Promise<ExitCode> {
  const { providers } = await client.providers.list();
  if (json) output.json({ providers });
  else if (providers.length === 0) output.out('No provider is configured. Add one under "providers" in verbalis.yaml.');
  else {
    // A key does not see where they are.
    const isOperator = providers.some(({ where }) => where !== undefined);
    const titles = [
      { title: 'name' },
      { title: 'kind' },
      { title: 'state' },
      ...(isOperator ? [{ title: 'under way', right: true }, { title: 'where' }] : []),
      { title: 'why' },
    ];
    const rows = providers.map((provider) => [
      provider.name,
      provider.kind,
      provider.state,
      ...(isOperator ? [String(provider.underWay ?? ''), provider.where ?? ''] : []),
      whyText(provider),
    ]);
    output.out(tableText(titles, rows, output.color));
  }
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
    output.json(report);
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
