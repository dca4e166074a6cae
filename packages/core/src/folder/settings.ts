import * as z from 'zod';
import { canonicalLocale, localeFault } from '../strings/index.js';
import { didYouMean, type Problem } from '../problems/index.js';
import { readYamlFile } from './yaml-file.js';

const knownZones = new Set<string>();

/** Whether the runtime knows an IANA time zone. */
function isTimeZone(zone: string): boolean {
  if (knownZones.has(zone)) return true;
  try {
    new Intl.DateTimeFormat('en', { timeZone: zone });
    knownZones.add(zone);
    return true;
  } catch {
    return false;
  }
}

/** A display name and an address as a mailbox (RFC 5322 3.4). */
function mailboxOf(name: string, address: string): string {
  return name === '' ? address : `"${name.replace(/["\\]/g, '\\$&')}" <${address}>`;
}

/** A text, or one for each of several locales; where none fits, the one of the folder's own locale is taken, or the first. */
const Localized = z.union([
  z.string().min(1),
  z
    .record(
      z.string().refine((tag) => localeFault(tag) === undefined, 'is not a valid locale'),
      z.string().min(1),
    )
    .refine((texts) => Object.keys(texts).length > 0, 'holds no text'),
]);
export type Localized = z.infer<typeof Localized>;

/** What becomes known of what recipients do with an email; nothing, when left out. */
const Tracking = z.strictObject({
  opens: z.boolean().default(false).meta({ description: 'Whether the picture at its end was loaded.' }),
  clicks: z.boolean().default(false).meta({ description: 'Which links were followed.' }),
  text: z.boolean().default(false).meta({ description: 'The links of the text part, too.' }),
  mode: z.enum(['individual', 'counts']).default('counts').meta({ description: 'By whom, or only how often.' }),
});
export type Tracking = z.infer<typeof Tracking>;

const Topic = z.strictObject({
  label: Localized.meta({ description: 'As recipients know it, on the page where they choose.' }),
  description: Localized.optional().meta({ description: 'What it brings, in a sentence for recipients.' }),
  purpose: z.enum(['essential', 'optional']).meta({ description: 'Whether recipients can leave the topic: only an optional one.' }),
  tracking: Tracking.optional().meta({ description: 'What becomes known of what recipients do with an email; nothing, when left out.' }),
  replies: z.boolean().optional().meta({
    description:
      'Whether answers come to the service, tied to their message; an address for answers that the app or the template names goes before.',
  }),
  lifetimeSeconds: z.int().min(1).optional().meta({ description: 'After so many seconds an email of this topic is not sent any more.' }),
  keep: z
    .strictObject({
      bodyDays: z.number().min(0).max(36_500).optional(),
      dataDays: z.number().min(0).max(36_500).optional(),
      factDays: z.number().min(0).max(36_500).optional(),
    })
    .optional()
    .meta({
      description:
        'For how many days less is kept of its messages than the service keeps: bodies; data and all that is made of them; everything.',
    }),
});

/** An IANA time zone. */
export const TimeZone = z.string().refine(isTimeZone, 'must be an IANA time zone such as "Europe/Paris"');

/** What `mail.yaml` holds. */
export const MailSettings = z.strictObject({
  name: z.string().min(1).meta({ description: 'The name of the app or the company, for people.' }),
  locale: z
    .string()
    .superRefine((tag, context) => {
      const fault = localeFault(tag);
      if (fault !== undefined) context.addIssue({ code: 'custom', message: fault });
    })
    .transform((tag) => canonicalLocale(tag) ?? tag)
    .default('en')
    .meta({ description: 'The language of sources without one in their name (BCP 47).' }),
  timeZone: TimeZone.default('UTC').meta({ description: 'The zone of dates and times where the message gives none (IANA).' }),
  baseUrl: z
    .string()
    .regex(/^https?:\/\/\S+$/, 'must be an http or https address')
    .optional()
    .meta({ description: 'What addresses without a host begin with.' }),
  assetUrl: z
    .string()
    .regex(/^https?:\/\/\S+[^/]$/, 'must be an http or https address without "/" at its end')
    .optional()
    .meta({
      description: 'Where the pictures of assets/ are served, under their hash: ADDRESS/HASH/NAME. The service does that under /assets.',
    }),
  linkHosts: z
    .array(z.string().regex(/^(?:\*\.)?[a-z0-9-]+(?:\.[a-z0-9-]+)*$/i, 'must be a host name such as "example.org" or "*.example.org"'))
    .optional()
    .meta({ description: 'Hosts that addresses from data may lead to, "*.example.org" for all below; any, when left out.' }),
  layout: z.string().optional().meta({ description: 'The layout of sources that name none.' }),
  sender: z
    .union([z.string(), z.strictObject({ name: z.string().optional(), address: z.string() })])
    .transform((sender) => (typeof sender === 'string' ? sender : mailboxOf(sender.name ?? '', sender.address)))
    .optional()
    .meta({ description: 'Who writes where neither message nor template says: "Name <address>", or its parts.' }),
  styles: z.array(z.string()).default([]).meta({ description: 'Style sheets for all templates, by their paths.' }),
  topics: z
    .record(z.string(), Topic)
    .refine((topics) => !Object.hasOwn(topics, 'engagement'), 'cannot have a topic "engagement": consent to tracking has this name')
    .default({})
    .meta({ description: 'What email is about, by name: recipients can leave optional topics.' }),
  silence: z
    .record(z.string(), z.string().min(1))
    .refine((codes) => Object.keys(codes).length <= 500, 'names more than 500 codes')
    .default({})
    .meta({ description: 'Warnings and suggestions that `check` leaves out, by code, each with the reason.' }),
});
export type MailSettings = z.infer<typeof MailSettings>;

/** What a folder is whose settings cannot be read. */
export const NO_SETTINGS: MailSettings = { name: 'mail', locale: 'en', timeZone: 'UTC', styles: [], topics: {}, silence: {} };

/** Reads `mail.yaml` and reports each mistake with its line. Returns undefined when the file cannot be used. */
export function readSettings(file: string, text: string, problems: Problem[]): MailSettings | undefined {
  const unknown = (key: string, at: readonly PropertyKey[]) => {
    const known =
      at.length === 0
        ? Object.keys(MailSettings.shape)
        : at.at(-1) === 'keep'
          ? ['bodyDays', 'dataDays', 'factDays']
          : at.at(-1) === 'tracking'
            ? Object.keys(Tracking.shape)
            : Object.keys(Topic.shape);
    const hint = didYouMean(key, known);
    return { code: 'setting-unknown', message: `There is no setting "${key}".`, ...(hint === undefined ? {} : { hint }) };
  };
  return readYamlFile(MailSettings, { file, text }, { unknown, code: 'setting', hint: hintOf }, problems)?.content;
}

function hintOf(path: readonly PropertyKey[]): string | undefined {
  return path[0] === 'sender' ? 'Write sender: "Name <name@host.example>", or sender: { name: …, address: … }.' : undefined;
}
