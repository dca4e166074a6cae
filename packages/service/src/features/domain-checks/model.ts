import * as z from 'zod';
import { IdCursor, Limit } from '../../kernel/index.js';

const Domain = z.string().min(3).max(253);
const LinkHost = Domain.nullable().meta({
  description: 'The host of links and pages in its emails: "links." and the domain; that of the service where nothing is given.',
});
const Policy = z.enum(['none', 'quarantine', 'reject']);

export const NewDomain = z
  .strictObject({
    name: Domain,
    algorithms: z
      .array(z.enum(['rsa-sha256', 'ed25519-sha256']))
      .min(1)
      .max(2)
      .optional()
      .meta({ description: 'How its emails are signed; both where nothing is given.' }),
    returnHost: Domain.optional().meta({ description: 'The host of its return paths; "returns." and the domain where nothing is given.' }),
    linkHost: LinkHost.optional(),
    policy: Policy.optional().meta({ description: 'What its DMARC record should ask of receivers; "none" at first.' }),
  })
  .meta({ id: 'NewDomain' });
export const DomainChange = z
  .strictObject({ returnHost: Domain.optional(), linkHost: LinkHost.optional(), policy: Policy.optional() })
  .refine((change) => Object.keys(change).length > 0, 'must change something')
  .meta({ id: 'DomainChange' });

const FindingView = z
  .strictObject({
    kind: z.string().meta({ description: 'What is wrong, in a word: "missing", "doubled-name", "cut-off" …' }),
    severity: z
      .enum(['fix', 'wait', 'advice'])
      .meta({ description: 'fix: a person must act; wait: it is resolved automatically; advice: email is accepted anyway.' }),
    at: z.enum(['zone', 'name servers', 'cache', 'service']).meta({ description: 'Where the mistake is.' }),
    wanted: z.string(),
    found: z.string().meta({ description: 'What is published; empty for nothing.' }),
    sentence: z.string().meta({ description: 'What is wrong and what to do, for the owner of the DNS.' }),
    enter: z.string().optional().meta({ description: 'What to enter, where that is another value than the wanted one.' }),
  })
  .meta({ id: 'DomainFinding' });
const RecordState = z.enum(['unchecked', 'right', 'wrong', 'missing', 'unknown']);

export const DomainRecordView = z
  .strictObject({
    purpose: z.enum(['dkim', 'spf', 'bounces', 'dmarc', 'links', 'provider', 'tls-reports']),
    type: z.enum(['TXT', 'MX', 'CNAME']),
    name: z.string(),
    value: z.string().meta({ description: 'The text of TXT, the host of another.' }),
    priority: z.int().optional().meta({ description: 'Of MX.' }),
    zoneLine: z.string().meta({ description: 'As a line of a zone file, a text in strings of 255 octets at most.' }),
    required: z.boolean(),
    state: RecordState,
    findings: z.array(FindingView),
    provider: z.string().optional().meta({ description: 'The provider that wants it.' }),
    guide: z
      .strictObject({
        title: z.string(),
        purpose: z.string(),
        without: z.string(),
        type: z.string().meta({ description: 'In words: "text (TXT)".' }),
        host: z.string().meta({ description: 'The name for a panel that appends the zone.' }),
        entering: z.array(z.string()),
        mistakes: z.array(z.string()),
      })
      .meta({ description: 'For the person who enters it.' }),
  })
  .meta({ id: 'DomainRecord' });

const DomainState = z.enum(['unchecked', 'open', 'right', 'unknown']);

export const DomainView = z
  .strictObject({
    name: z.string(),
    state: DomainState.meta({ description: 'By the last check.' }),
    returnHost: z.string(),
    returnHostLive: z.boolean().meta({ description: 'Whether return paths are at this host; else at the one of the service.' }),
    linkHost: z.string().optional().meta({ description: 'The host of links and pages in its emails; absent for that of the service.' }),
    linkHostLive: z.boolean().optional().meta({ description: 'Whether links lead to this host; else to that of the service.' }),
    policy: Policy,
    signing: z.boolean().meta({ description: 'Whether its email is signed now.' }),
    keys: z.array(
      z.strictObject({
        selector: z.string(),
        algorithm: z.string(),
        state: z.enum(['waiting', 'published', 'signing', 'lost', 'retired']),
        signsFrom: z.iso.datetime().optional().meta({ description: 'Published; signs when caches have forgotten that it was missing.' }),
        neededUntil: z.iso.datetime().optional().meta({ description: 'Retired: its record must stay until then.' }),
      }),
    ),
    records: z.array(DomainRecordView).meta({ description: 'To be published in the DNS.' }),
    notes: z.array(z.string()),
    checkedAt: z.iso.datetime().optional(),
    nextCheckAt: z.iso.datetime().optional(),
  })
  .meta({ id: 'Domain' });
export const DomainList = z.strictObject({ domains: z.array(DomainView) }).meta({ id: 'DomainList' });

export const DomainLogQuery = z.strictObject({ limit: Limit, cursor: IdCursor });
export const DomainLog = z
  .strictObject({
    checks: z.array(
      z.strictObject({
        id: z.string(),
        firstAt: z.iso.datetime(),
        lastAt: z.iso.datetime(),
        times: z.int().meta({ description: 'Checks that found the same, one after the other.' }),
        state: DomainState,
        records: z.array(z.strictObject({ type: z.string(), name: z.string(), state: RecordState, findings: z.array(FindingView) })),
        answers: z
          .array(z.strictObject({ server: z.string(), question: z.string(), answer: z.string() }))
          .meta({ description: 'What each name server answered; of the resolver where "server" is empty.' }),
      }),
    ),
    nextCursor: z.string().optional(),
  })
  .meta({ id: 'DomainLog' });

export const VerifyRequest = z
  .strictObject({
    space: z
      .string()
      .optional()
      .meta({ description: 'Through the route of this space; the first that sends as the domain where nothing is given.' }),
  })
  .meta({ id: 'DomainVerify' });
export const VerificationView = z
  .strictObject({
    domain: z.string(),
    space: z.string(),
    messageId: z.string(),
    state: z.enum(['under-way', 'arrived', 'failed']),
    delivery: z
      .strictObject({ state: z.string(), diagnostic: z.string().optional() })
      .optional()
      .meta({ description: 'What the provider did with it.' }),
    startedAt: z.iso.datetime(),
    arrivedAt: z.iso.datetime().optional(),
    results: z.array(
      z.strictObject({
        check: z.enum(['dkim', 'spf', 'dmarc', 'tls', 'unsubscribe', 'path']),
        state: z.enum(['right', 'wrong', 'advice']),
        sentence: z.string(),
        hint: z.string().optional(),
      }),
    ),
  })
  .meta({ id: 'DomainVerification' });

export const DomainShare = z.strictObject({ days: z.int().min(1).max(90).default(14) }).meta({ id: 'DomainShare' });
export const SharedPage = z.strictObject({ url: z.string(), expiresAt: z.iso.datetime() }).meta({ id: 'SharedDomainPage' });
