import type { Client, DomainReports } from '@verbalis/client';
import { tableText, type ExitCode, type Output } from '../output.js';

const percent = (part: number, all: number): string => (all === 0 ? '' : `${Math.round((part / all) * 1000) / 10}%`);

/** What receivers report about a domain: who sends in its name, and how much of it is authentic. */
export async function domainReports(
  client: Client,
  name: string,
  { days, format, json = false }: { readonly days: number; readonly format: 'text' | 'csv' | 'json'; readonly json?: boolean },
  output: Output,
): Promise<ExitCode> {
  const found = await client.domainReports.get(name, { days });
  if (json || format === 'json') output.json(found);
  else output.out(format === 'csv' ? csvOf(found) : reportsText(found, output));
  return 0;
}

const COLUMNS = ['source', 'count', 'aligned', 'dkim', 'spf', 'refused', 'unproven', 'reporters', 'envelopeFrom', 'last'] as const;

/** RFC 4180; a cell that a spreadsheet would take for a formula begins with an apostrophe. */
function csvOf({ sources }: DomainReports): string {
  const cell = (value: string | number | undefined): string => {
    const text = String(value ?? '').replace(/^(?=[=+\-@\t])/, "'");
    return /[",\r\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
  };
  return [COLUMNS.join(','), ...sources.map((source) => COLUMNS.map((column) => cell(source[column])).join(','))].join('\r\n');
}

function reportsText({ domain, since, total, sources, tls, reports }: DomainReports, { color }: Output): string {
  const problems = reports.filter(({ problem }) => problem !== undefined);
  const unproven = reports.filter(({ proof }) => proof?.state === 'unproven');
  const rows = sources.map((source) => [
    source.source,
    String(source.count),
    source.aligned === source.count ? color.green('all') : color.red(percent(source.aligned, source.count)),
    percent(source.dkim, source.count),
    percent(source.spf, source.count),
    source.refused === 0 ? '' : String(source.refused),
    source.envelopeFrom ?? '',
  ]);
  const columns = [
    { title: 'sent from' },
    { title: 'emails', right: true },
    { title: 'authentic', right: true },
    { title: 'DKIM', right: true },
    { title: 'SPF', right: true },
    { title: 'refused', right: true },
    { title: 'envelope from' },
  ];
  return [
    `${color.bold(domain)} since ${since.slice(0, 10)}: ${total.count} emails reported, ${total.count === 0 ? 'none' : percent(total.aligned, total.count)} authentic.`,
    ...(total.unproven === 0
      ? []
      : [
          color.yellow(
            `${total.unproven} of them are in reports that are not proven to be from the receiver that they name (${[...new Set(unproven.map(({ reporter }) => reporter))].join(', ')}).`,
          ),
        ]),
    ...(sources.length === 0 ? ['No DMARC report came in yet.'] : [tableText(columns, rows, color)]),
    ...(tls.successful + tls.failed === 0
      ? []
      : [
          `TLS to our hosts: ${tls.successful} connections, ${tls.failed} failed.`,
          ...tls.failures.map((failure) => `  ${failure.count} × ${failure.result} (${failure.reporter})`),
        ]),
    ...problems.map(({ problem = '', returnId }) => color.yellow(`A report could not be read (${returnId}): ${problem}`)),
  ].join('\n');
}
