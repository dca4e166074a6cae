import * as z from 'zod';
import { MEANINGS, phraseBook } from '@verbalis/core/phrases';
import { Host, Port } from '../../kernel/index.js';
import { ListenerSettings } from '../smtp/index.js';

const Phrases = z
  .strictObject({
    means: z
      .enum(MEANINGS)
      .meta({ description: 'A cause ("mailbox-full"), or what is said: failed, delayed, bounceSubject, autoSubject, away …' }),
    phrases: z
      .array(z.string().min(2).max(200))
      .min(1)
      .max(200)
      .meta({ description: 'Words in small letters: "*" for up to 60 signs, "{a|b}" for either, "^" for the beginning.' }),
  })
  .superRefine(({ means, phrases }, context) => {
    try {
      phraseBook([{ means, phrases }]);
    } catch (error) {
      context.addIssue({ code: 'custom', path: ['phrases'], message: error instanceof Error ? error.message : String(error) });
    }
  });

export const ReturnSettings = z
  .strictObject({
    host: Host.default('127.0.0.1'),
    port: Port.default(8625),
    name: z.string().optional().meta({
      description: 'The host name under which other mail servers reach the listener: MX records lead to it. Left out: helloName.',
    }),
    domain: z
      .string()
      .default('returns.localhost')
      .meta({ description: 'The domain of return paths for senders whose domain has none; its mail must reach the listener.' }),
    maxBytes: z
      .int()
      .min(10_000)
      .default(20 * 1024 * 1024),
    phrases: z
      .array(Phrases)
      .max(500)
      .default([])
      .meta({ description: 'What words of reports and answers mean, beside what is known; looked for first.' }),
    ...ListenerSettings({ perAddress: 50, perMinute: 600 }),
  })
  .prefault({});
export type ReturnSettings = z.infer<typeof ReturnSettings>;
