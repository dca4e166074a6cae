import type { Client, CountsView, FiguresFilter } from '@verbalis/client';
import { STATES } from '../words.js';
import { tableText, UsageError, type ExitCode, type Output } from '../output.js';

function durationText(ms: number | undefined): string {
  if (ms === undefined) return '–';
  if (ms < 1000) return `${ms} ms`;
  if (ms < 60_000) return `${(ms / 1000).toFixed(1)} s`;
  return ms < 3_600_000 ? `${Math.round(ms / 60_000)} min` : `${(ms / 3_600_000).toFixed(1)} h`;
}

function rate(n: number, of: number): string {
  return of === 0 ? '–' : `${((100 * n) / of).toFixed(1)}%`;
}

function cells(counts: CountsView): string[] {
  const { created, states, toAccepted, toDelivered } = counts;
  return [
    String(created),
    ...STATES.map((state) => String(states[state] ?? 0)),
    rate(states['failed'] ?? 0, created),
    durationText(toAccepted.median),
    durationText(toAccepted.p95),
    durationText(toDelivered.median),
  ];
}

export async function figures(
  client: Client,
  { json, csv, days, ...options }: { readonly json?: boolean; readonly csv?: boolean; readonly days?: string; readonly by?: string },
  output: Output,
): Promise<ExitCode> {
  const back = Number(days ?? '7');
  if (!Number.isFinite(back) || back <= 0) throw new UsageError(`"${days ?? ''}" is not a valid number of days.`);
  const wanted = { ...options, from: new Date(Date.now() - back * 86_400_000).toISOString() } as FiguresFilter;
  if (csv === true) {
    output.out(await client.figures.csv(wanted));
    return 0;
  }
  const found = await client.figures.get(wanted);
  if (json === true) {
    output.json(found);
    return 0;
  }
  const columns = [
    { title: options.by ?? 'time' },
    { title: 'created', right: true },
    ...STATES.map((title) => ({ title, right: true })),
    { title: 'rate', right: true },
    { title: 'to acceptance', right: true },
    { title: '95%', right: true },
    { title: 'to delivery', right: true },
  ];
  const rows = [
    ...(found.by ?? []).map(({ value, counts }) => [value === '' ? '(none)' : value, ...cells(counts)]),
    [`these ${back} days`, ...cells(found.total)],
    ['the days before', ...cells(found.before)],
  ];
  output.out(tableText(columns, rows, output.color));
  const { domains } = await client.domainReports.alignment({ days: Math.min(400, Math.max(1, Math.ceil(back))) });
  for (const { domain, count, aligned, sources } of domains)
    if (count > 0)
      output.note(
        `Receivers report ${count} emails as ${domain}: ${rate(aligned, count)} authentic${sources === 0 ? '' : `, the rest from ${sources} other ${sources === 1 ? 'address' : 'addresses'}`}.`,
      );
  return 0;
}
