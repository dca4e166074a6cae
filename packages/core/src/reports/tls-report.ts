import * as z from 'zod';
import { parseJson, UnreadableContent } from '../profile/index.js';

/** Why connections failed, as a receiver counted it (RFC 8460 4.3). */
export interface TlsFailure {
  readonly result: string;
  readonly count: number;
  readonly host: string | undefined;
}

/** What a sender of email counted about TLS to our hosts (RFC 8460 4). */
export interface TlsReport {
  /** As it calls itself: anybody can write it. */
  readonly reporter: string;
  readonly id: string;
  /** Milliseconds since the epoch. */
  readonly begin: number;
  readonly end: number;
  /** The host that email is brought to. */
  readonly domain: string;
  readonly successful: number;
  readonly failed: number;
  readonly failures: readonly TlsFailure[];
}

const MOST_POLICIES = 100;
const MOST_FAILURES = 1000;
const Text = z.string().transform((text) => text.trim().slice(0, 255));
const Count = z.coerce.number().int().min(0).max(1e12).catch(0);
const Shape = z.object({
  'organization-name': Text.catch('unknown'),
  'date-range': z.object({ 'start-datetime': z.string(), 'end-datetime': z.string() }),
  'report-id': Text.refine((text) => text !== ''),
  policies: z.array(
    z.object({
      policy: z.object({ 'policy-domain': Text }),
      summary: z.object({ 'total-successful-session-count': Count, 'total-failure-session-count': Count }).prefault({} as never),
      'failure-details': z
        .array(
          z.object({
            'result-type': Text.catch('unknown'),
            'failed-session-count': Count,
            'receiving-mx-hostname': Text.optional().catch(undefined),
          }),
        )
        .catch([]),
    }),
  ),
});

/** Reads a TLS report: one for each policy in it. @throws UnreadableContent in a sentence */
export function readTlsReport(text: string): TlsReport[] {
  const read = Shape.safeParse(parseJson(text));
  if (!read.success) {
    const path = read.error.issues[0]?.path.join('.') ?? '';
    throw new UnreadableContent(`It is JSON, but not a TLS report${path === '' ? '' : `: "${path}" is missing or not valid`}.`);
  }
  const { policies, 'report-id': id, 'organization-name': reporter, 'date-range': range } = read.data;
  const [begin, end] = [Date.parse(range['start-datetime']), Date.parse(range['end-datetime'])];
  if (Number.isNaN(begin) || Number.isNaN(end) || end < begin)
    throw new UnreadableContent('It names no time that it is about (date-range).');
  if (policies.length > MOST_POLICIES)
    throw new UnreadableContent(`It has ${policies.length} policies; ${MOST_POLICIES} are read at most.`);
  return policies.map(({ policy, summary, 'failure-details': failures }) => ({
    reporter,
    id,
    begin,
    end,
    domain: policy['policy-domain'].toLowerCase().replace(/\.$/, ''),
    successful: summary['total-successful-session-count'],
    failed: summary['total-failure-session-count'],
    failures: failures.slice(0, MOST_FAILURES).map((failure) => ({
      result: failure['result-type'],
      count: failure['failed-session-count'],
      host: failure['receiving-mx-hostname'],
    })),
  }));
}
