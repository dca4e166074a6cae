import { guideOf, isSigning, neededUntil, wantedRecords, zoneLine, type WantedRecord } from '@verbalis/core/domains';
import type * as z from 'zod';
import { instant } from '../../kernel/index.js';
import type { SendingDomain, SigningKeyRow } from '../domains/index.js';
import type { DomainRecordView, DomainView } from './model.js';
import { type OwnNames, needsOf, type SendingSpace } from './needs.js';
import type { DomainStateRow } from './queries.js';

export interface ViewSources {
  readonly spaces: readonly SendingSpace[];
  readonly names: OwnNames;
  readonly state: DomainStateRow | undefined;
  readonly now: number;
}

/** What the owner of the DNS has to know in addition to the records: about keys that were replaced. */
export function zoneNotes(domain: SendingDomain, state: DomainStateRow | undefined, now: number): string[] {
  const retired = new Set(
    domain.keys.filter(({ retiredAt }) => retiredAt !== null).map(({ selector }) => `${selector}._domainkey.${domain.name}`),
  );
  const old = (state?.records ?? []).filter(({ name }) => retired.has(name));
  return [...domain.keys.flatMap((key) => noteOn(key, now)), ...old.flatMap(({ findings }) => findings.map(({ sentence }) => sentence))];
}

/** A domain for people: what it needs, and how each record was at the last check. */
export function domainView(domain: SendingDomain, { spaces, names, state, now }: ViewSources): z.input<typeof DomainView> {
  const { records, notes } = wantedRecords(needsOf(domain, spaces, names));
  return {
    name: domain.name,
    state: state?.state ?? 'unchecked',
    returnHost: domain.returnHost,
    returnHostLive: typeof domain.host?.liveFrom === 'number',
    linkHost: domain.linkHost ?? undefined,
    linkHostLive: domain.linkHost === null ? undefined : typeof domain.links?.liveFrom === 'number',
    policy: domain.policy,
    signing: domain.keys.some((key) => isSigning(key, now)),
    keys: domain.keys.map((key) => keyView(key, now)),
    records: records.map((wanted) => recordView(wanted, domain.name, state)),
    notes: [...notes, ...zoneNotes(domain, state, now)],
    checkedAt: state === undefined ? undefined : instant(state.checkedAt),
    nextCheckAt: state === undefined ? undefined : instant(state.nextCheckAt),
  };
}

function keyView(key: SigningKeyRow, now: number): z.input<typeof DomainView>['keys'][number] {
  const { selector, algorithm, signsFrom, lostAt } = key;
  const until = neededUntil(key);
  if (until !== undefined) return { selector, algorithm, state: 'retired', neededUntil: instant(until) };
  if (isSigning(key, now)) return { selector, algorithm, state: lostAt === null ? 'signing' : 'lost' };
  if (signsFrom === null || lostAt !== null) return { selector, algorithm, state: 'waiting' };
  return { selector, algorithm, state: 'published', signsFrom: instant(signsFrom) };
}

function noteOn(key: SigningKeyRow, now: number): string[] {
  const until = neededUntil(key);
  if (until === undefined || now >= until) return [];
  return [
    `Leave the record at ${key.selector}._domainkey.${key.domain} until ${instant(until).slice(0, 10)}: email that it signed is still under way.`,
  ];
}

function recordView(wanted: WantedRecord, domain: string, state: DomainStateRow | undefined): z.input<typeof DomainRecordView> {
  const { record, purpose, isRequired, provider } = wanted;
  const found = state?.records.find(({ name, type }) => name === record.name && type === record.type);
  const { title, purpose: use, without, type, host, entering, mistakes } = guideOf(wanted, domain);
  return {
    purpose,
    type: record.type,
    name: record.name,
    value: record.type === 'TXT' ? record.text : record.host,
    priority: record.type === 'MX' ? record.priority : undefined,
    zoneLine: zoneLine(record),
    required: isRequired,
    state: found?.state ?? 'unchecked',
    findings: (found?.findings ?? []).map((finding) => ({ ...finding })),
    provider,
    guide: { title, purpose: use, without, type, host, entering: [...entering], mistakes: [...mistakes] },
  };
}
