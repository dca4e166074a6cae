import type * as z from 'zod';
import { endpointsOf, instant, json, Refusal, textParams, type Clock } from '../../kernel/index.js';
import type { Domains } from '../domains/index.js';
import { AlignmentFigures, DomainReportsView, ReportQuery } from './model.js';
import type { Store } from './store.js';

export interface ReportEndpoints {
  readonly store: Store;
  readonly domains: Domains;
  /** Spaces that send as a domain. */
  readonly spacesOf: (domain: string) => Promise<readonly string[]>;
  readonly clock: Clock;
}

const endpoint = endpointsOf<ReportEndpoints>();
const DAY = 86_400_000;
const [MOST_SOURCES, MOST_REPORTS] = [1000, 200];

function viewOf(domain: string, since: number, { reports }: Store): z.input<typeof DomainReportsView> {
  const days = reports.days(domain, since);
  const total = reports.total(domain, since);
  const found = reports.reports(domain, since, MOST_REPORTS);
  const tls = found.filter(({ kind }) => kind === 'tls');
  const sum = (counts: readonly number[]): number => counts.reduce((all, count) => all + count, 0);
  return {
    domain,
    since: instant(since),
    total: { count: total.count, aligned: total.aligned, unproven: total.unproven },
    days,
    sources: reports
      .sources(domain, since, MOST_SOURCES)
      .map(({ envelopeFrom, last, ...source }) => ({ ...source, envelopeFrom: envelopeFrom ?? undefined, last: instant(last) })),
    tls: {
      successful: sum(tls.map(({ successful }) => successful)),
      failed: sum(tls.map(({ failed }) => failed)),
      failures: tls.flatMap(({ reporter, failures }) => failures.map((failure) => ({ ...failure, reporter }))).slice(0, MOST_REPORTS),
    },
    reports: found.map(({ returnId, kind, reporter, proof, begin, end, receivedAt, problem }) => ({
      returnId,
      kind,
      reporter,
      proof: proof ?? undefined,
      begin: instant(begin),
      end: instant(end),
      receivedAt: instant(receivedAt),
      problem: problem ?? undefined,
    })),
  };
}

const get = endpoint({
  name: 'domainReports.get',
  method: 'get',
  path: '/v1/domains/{name}/reports',
  summary: 'Who sends in the name of a domain, and how much of it is authentic, as receivers report it',
  description: 'A key sees those of domains that its space sends as.',
  scope: 'read',
  isForService: true,
  params: textParams('name'),
  query: ReportQuery,
  answers: { 200: json('The totals.', DomainReportsView) },
  async run({ caller, params: { name }, query: { days } }, { store, domains, spacesOf, clock }) {
    const domain = domains.find(name);
    if (domain === undefined || !(caller.operator || (await spacesOf(domain.name)).includes(caller.space)))
      throw new Refusal(404, 'unknown-domain', 'There is no such domain', { detail: `"${name}" has not been added.` });
    return viewOf(domain.name, clock.now() - days * DAY, store);
  },
});

const alignment = endpoint({
  name: 'domainReports.alignment',
  method: 'get',
  path: '/v1/figures/alignment',
  summary: 'How much email in the name of the space’s domains was authentic, as receivers report it',
  scope: 'read',
  query: ReportQuery,
  answers: { 200: json('By domain.', AlignmentFigures) },
  async run({ caller: { space }, query: { days } }, { store, domains, spacesOf, clock }) {
    const since = clock.now() - days * DAY;
    const own = await Promise.all(domains.all().map(async ({ name }) => ((await spacesOf(name)).includes(space) ? [name] : [])));
    return { since: instant(since), domains: own.flat().map((domain) => ({ domain, ...store.reports.total(domain, since) })) };
  },
});

/** Reports of receivers about sending domains. */
export const reportEndpoints = [get, alignment];
