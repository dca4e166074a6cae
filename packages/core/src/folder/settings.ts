import { z } from 'zod';
import { canonicalLocale, localeFault } from '../strings/index.js';
import { didYouMean, problem, readYaml, SourceText, yamlKeyAt, type Place, type Problem } from '../problems/index.js';

const knownZones = new Set<string>();

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
  timeZone: z.string().refine(isTimeZone, 'must be an IANA time zone such as "Europe/Paris"').default('UTC'),
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

/** How often a YAML document may repeat what it has named: such repetitions multiply. */
const MAX_ALIASES = 50;
/** So many mistakes of one file are reported: more help nobody. */
const MOST_FAULTS = 100;

/** Reads `mail.yaml` and reports each mistake with its line. Returns undefined when the file cannot be used. */
export function readSettings(file: string, text: string, problems: Problem[]): MailSettings | undefined {
  const source = new SourceText(file, text);
  const { document, faults } = readYaml(text);
  for (const fault of faults.slice(0, MOST_FAULTS)) {
    problems.push(
      problem('yaml', source.place(fault.pos[0], Math.max(1, fault.pos[1] - fault.pos[0])), `This is not valid YAML: ${fault.message}`),
    );
  }
  if (faults.length > 0) return undefined;
  let plain: unknown;
  try {
    plain = document.toJS({ maxAliasCount: MAX_ALIASES }) ?? {};
  } catch (error) {
    problems.push(problem('yaml', source.place(0), `This is not valid YAML: ${error instanceof Error ? error.message : String(error)}`));
    return undefined;
  }
  const parsed = MailSettings.safeParse(plain);
  if (parsed.success) return parsed.data;
  const placeOf = (path: readonly PropertyKey[]): Place => {
    const [from, to] = yamlKeyAt(document, path) ?? [0, 0];
    return source.place(from, to - from);
  };
  for (const issue of parsed.error.issues.slice(0, MOST_FAULTS)) {
    const place = placeOf(issue.path);
    if (issue.code === 'unrecognized_keys') {
      for (const key of issue.keys.slice(0, MOST_FAULTS)) {
        const at = placeOf([...issue.path, key]);
        const known =
          issue.path.length === 0
            ? Object.keys(MailSettings.shape)
            : issue.path.at(-1) === 'keep'
              ? ['bodyDays', 'dataDays', 'factDays']
              : issue.path.at(-1) === 'tracking'
                ? Object.keys(Tracking.shape)
                : Object.keys(Topic.shape);
        problems.push(problem('setting-unknown', at, `There is no setting "${key}".`, didYouMean(key, known)));
      }
    } else {
      problems.push(problem('setting', place, `"${issue.path.join('.')}" ${sentence(issue.message)}.`, hintOf(issue.path)));
    }
  }
  return undefined;
}

function hintOf(path: readonly PropertyKey[]): string | undefined {
  return path[0] === 'sender' ? 'Write sender: "Name <name@host.example>", or sender: { name: …, address: … }.' : undefined;
}

function sentence(message: string): string {
  return /^Invalid input: expected (.*), received undefined/.test(message) ? 'is missing' : message.replace(/^Invalid input: /, '');
}
