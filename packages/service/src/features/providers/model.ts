import { z } from 'zod';

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
