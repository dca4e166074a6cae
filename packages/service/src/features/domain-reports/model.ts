import * as z from 'zod';

const Count = z.int();
const Unproven = Count.meta({ description: 'Emails in reports that are not proven to be from the reporter that they name.' });

export const ReportQuery = z.strictObject({
  days: z.coerce.number().int().min(1).max(400).default(30),
});
export const DomainReportsView = z
  .strictObject({
    domain: z.string(),
    since: z.iso.datetime(),
    total: z.strictObject({ count: Count, aligned: Count, unproven: Unproven }),
    days: z
      .array(z.strictObject({ day: z.iso.date(), count: Count, aligned: Count }))
      .meta({ description: 'By the day that a report ends on (UTC).' }),
    sources: z
      .array(
        z.strictObject({
          source: z.string().meta({ description: 'The address that email came from.' }),
          count: Count,
          aligned: Count.meta({ description: 'Authentic: a valid signature or SPF was aligned with the author’s domain.' }),
          dkim: Count,
          spf: Count,
          refused: Count.meta({ description: 'Quarantined or rejected by receivers.' }),
          unproven: Unproven,
          reporters: Count,
          envelopeFrom: z.string().optional(),
          last: z.iso.datetime(),
        }),
      )
      .meta({ description: 'Most first, a thousand at most.' }),
    tls: z.strictObject({
      successful: Count,
      failed: Count,
      failures: z.array(z.strictObject({ result: z.string(), count: Count, reporter: z.string(), host: z.string().optional() })),
    }),
    reports: z
      .array(
        z.strictObject({
          returnId: z.string().meta({ description: 'The return that it came as.' }),
          kind: z.enum(['dmarc', 'tls', 'unread']),
          reporter: z.string().meta({ description: 'As it calls itself; anybody can write a report, so see `proof`.' }),
          proof: z
            .strictObject({
              state: z.enum(['proven', 'unproven', 'unknown']).meta({ description: '`unknown`: the name servers did not answer.' }),
              domain: z.string().optional().meta({ description: 'Of the author of its email.' }),
              reason: z.string(),
            })
            .optional()
            .meta({ description: 'Whether its email passes DMARC; absent if the DNS was not asked.' }),
          begin: z.iso.datetime(),
          end: z.iso.datetime(),
          receivedAt: z.iso.datetime(),
          problem: z.string().optional().meta({ description: 'Why it could not be read.' }),
        }),
      )
      .meta({ description: 'Newest first, two hundred at most.' }),
  })
  .meta({ id: 'DomainReports' });

export const AlignmentFigures = z
  .strictObject({
    since: z.iso.datetime(),
    domains: z.array(
      z.strictObject({
        domain: z.string(),
        count: Count.meta({ description: 'Emails in its name that receivers have reported.' }),
        aligned: Count.meta({ description: 'Of these: authentic.' }),
        unproven: Unproven,
        sources: Count.meta({ description: 'Addresses that email came from which was not authentic.' }),
      }),
    ),
  })
  .meta({ id: 'AlignmentFigures' });
