import * as z from 'zod';

const ProviderView = z
  .strictObject({
    name: z.string(),
    kind: z.enum(['smtp', 'http', 'capture', 'file', 'log']),
    where: z.string().optional().meta({ description: 'For the operator only.' }),
    state: z
      .enum(['working', 'resting', 'probing', 'stalled', 'paused'])
      .meta({ description: 'resting: left alone after trouble. probing: one email tries it again. stalled: it does not answer.' }),
    why: z.string().optional().meta({ description: 'Why it is not working.' }),
    since: z.iso.datetime().optional(),
    until: z.iso.datetime().optional().meta({ description: 'When it is tried again.' }),
    underWay: z.int().optional().meta({ description: 'Emails that are being handed over; for the operator only.' }),
  })
  .meta({ id: 'Provider' });
export const ProviderList = z.strictObject({ providers: z.array(ProviderView) }).meta({ id: 'ProviderList' });
export const ProviderPaused = z.strictObject({ name: z.string(), paused: z.boolean() }).meta({ id: 'ProviderPaused' });
export const ProviderTest = z
  .strictObject({ to: z.string().max(320).optional().meta({ description: 'An address that gets a test mail.' }) })
  .meta({ id: 'ProviderTest' });
const MOST_RECORDED = 1_000_000;
export const ProviderTry = z
  .strictObject({
    to: z.string().max(320).optional().meta({ description: 'The recipient of the email; asa@post.example when left out.' }),
    message: z.string().optional().meta({ description: 'A message whose email is taken, to its first recipient.' }),
    content: z
      .strictObject({ subject: z.string(), text: z.string(), html: z.string() })
      .optional()
      .meta({ description: 'What the email says; a test email when left out.' }),
    answer: z
      .string()
      .max(MOST_RECORDED)
      .optional()
      .meta({ description: 'An answer to be read, as HTTP/1.1 writes it (RFC 9112), in base64.' }),
    call: z.string().max(MOST_RECORDED).optional().meta({ description: 'A call to be read, as HTTP/1.1 writes it (RFC 9112), in base64.' }),
  })
  .meta({ id: 'ProviderTry' });
export const ProviderTrial = z
  .strictObject({
    request: z
      .strictObject({
        method: z.string(),
        url: z.string(),
        headers: z.array(z.strictObject({ name: z.string(), value: z.string() })),
        body: z.string(),
        bytes: z.int(),
      })
      .optional()
      .meta({ description: 'What would be sent; secrets are masked.' }),
    answer: z
      .strictObject({
        outcome: z.string(),
        because: z.string().meta({ description: 'What of the profile decided.' }),
        cause: z.string().optional(),
        providerId: z.string().optional(),
        diagnostic: z.string().optional(),
        retryAfterSeconds: z.number().optional(),
        values: z.record(z.string(), z.unknown()).meta({ description: 'What conditions see.' }),
      })
      .optional(),
    call: z
      .strictObject({
        signature: z.string().meta({ description: '"right", or why it is not.' }),
        handshake: z.string().optional().meta({ description: 'What it is answered with, where it is a handshake.' }),
        problem: z.string().optional(),
        events: z.array(
          z.strictObject({
            id: z.string(),
            type: z.string(),
            meaning: z.string().optional().meta({ description: 'Absent for a word that the profile does not know.' }),
            cause: z.string().optional(),
            address: z.string().optional(),
            mail: z.string().optional(),
            delivery: z.string().optional(),
            at: z.iso.datetime().optional(),
            status: z.string().optional(),
            reason: z.string().optional(),
          }),
        ),
      })
      .optional(),
  })
  .meta({ id: 'ProviderTrial' });
export const ProviderReport = z
  .strictObject({
    name: z.string(),
    kind: z.string(),
    where: z.string(),
    ok: z.boolean(),
    findings: z.array(
      z.strictObject({ step: z.string(), ok: z.boolean(), milliseconds: z.int(), detail: z.string(), hint: z.string().optional() }),
    ),
  })
  .meta({ id: 'ProviderReport' });
