import { z } from 'zod';
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
  /** Whether the picture at its end was loaded. */
  opens: z.boolean().default(false),
  /** Which links were followed. */
  clicks: z.boolean().default(false),
  /** The links of the text part, too. */
  text: z.boolean().default(false),
  /** By whom, or only how often. */
  mode: z.enum(['individual', 'counts']).default('counts'),
});
export type Tracking = z.infer<typeof Tracking>;

const Topic = z.strictObject({
  /** As recipients know it, on the page where they choose. */
  label: Localized,
  /** What it brings, in a sentence for recipients. */
  description: Localized.optional(),
  purpose: z.enum(['essential', 'optional']),
  tracking: Tracking.optional(),
  /** Whether answers come to the service, tied to their message; an address for answers that the app or the template names goes before. */
  replies: z.boolean().optional(),
  /** After so many seconds an email of this topic is not sent any more. */
  lifetimeSeconds: z.int().min(1).optional(),
  /** For how many days less is kept of its messages than the service keeps: bodies; data and all that is made of them; everything. */
  keep: z
    .strictObject({
      bodyDays: z.number().min(0).max(36_500).optional(),
      dataDays: z.number().min(0).max(36_500).optional(),
      factDays: z.number().min(0).max(36_500).optional(),
    })
    .optional(),
});

/** An IANA time zone. */
export const TimeZone = z.string().refine(isTimeZone, 'must be an IANA time zone such as "Europe/Paris"');

/** What `mail.yaml` holds. */
export const MailSettings = z.strictObject({
  name: z.string().min(1),
  locale: z
    .string()
    .superRefine((tag, context) => {
      const fault = localeFault(tag);
      if (fault !== undefined) context.addIssue({ code: 'custom', message: fault });
    })
    .transform((tag) => canonicalLocale(tag) ?? tag)
    .default('en'),
  timeZone: TimeZone.default('UTC'),
  baseUrl: z
    .string()
    .regex(/^https?:\/\/\S+$/, 'must be an http or https address')
    .optional(),
  /** Where the pictures of assets/ are served, under their hash: ADDRESS/HASH/NAME. The service does that under /assets. */
  assetUrl: z
    .string()
    .regex(/^https?:\/\/\S+[^/]$/, 'must be an http or https address without "/" at its end')
    .optional(),
  /** Hosts that addresses from data may lead to, "*.example.org" for all below; any, when left out. */
  linkHosts: z
    .array(z.string().regex(/^(?:\*\.)?[a-z0-9-]+(?:\.[a-z0-9-]+)*$/i, 'must be a host name such as "example.org" or "*.example.org"'))
    .optional(),
  layout: z.string().optional(),
  /** A mailbox, "Name <address>", or its parts. */
  sender: z
    .union([z.string(), z.strictObject({ name: z.string().optional(), address: z.string() })])
    .transform((sender) => (typeof sender === 'string' ? sender : mailboxOf(sender.name ?? '', sender.address)))
    .optional(),
  styles: z.array(z.string()).default([]),
  topics: z
    .record(z.string(), Topic)
    .refine((topics) => !Object.hasOwn(topics, 'engagement'), 'cannot have a topic "engagement": consent to tracking has this name')
    .default({}),
  /** Warnings and suggestions that `check` leaves out, by code, each with the reason. */
  silence: z
    .record(z.string(), z.string().min(1))
    .refine((codes) => Object.keys(codes).length <= 500, 'names more than 500 codes')
    .default({}),
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
