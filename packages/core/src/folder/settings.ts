import { isMap, isScalar, LineCounter, parseDocument } from 'yaml';
import { z } from 'zod';
import { didYouMean, problem, SourceText, type Problem } from '../problems/index.js';

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

export function isLocale(tag: string): boolean {
  try {
    return Intl.getCanonicalLocales(tag).length === 1;
  } catch {
    return false;
  }
}

const Topic = z.strictObject({
  label: z.string().min(1),
  purpose: z.enum(['essential', 'optional']),
  /** After so many seconds a mail of this topic is not sent any more. */
  lifetimeSeconds: z.int().min(1).optional(),
});

/** What `mail.yaml` holds. */
export const MailSettings = z.strictObject({
  name: z.string().min(1),
  locale: z.string().refine(isLocale, 'must be a BCP 47 tag such as "en" or "pt-BR"').default('en'),
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
  layout: z.string().optional(),
  sender: z.string().optional(),
  styles: z.array(z.string()).default([]),
  topics: z.record(z.string(), Topic).default({}),
});
export type MailSettings = z.infer<typeof MailSettings>;

/** Reads `mail.yaml`; each fault is told with its line. */
export function readSettings(file: string, text: string, problems: Problem[]): MailSettings {
  const source = new SourceText(file, text);
  const document = parseDocument(text, { lineCounter: new LineCounter(), prettyErrors: false });
  for (const fault of document.errors) {
    problems.push(
      problem('yaml', source.place(fault.pos[0], Math.max(1, fault.pos[1] - fault.pos[0])), `This is not valid YAML: ${fault.message}`),
    );
  }
  const fallback: MailSettings = { name: 'mail', locale: 'en', timeZone: 'UTC', styles: [], topics: {} };
  if (document.errors.length > 0) return fallback;
  const parsed = MailSettings.safeParse(document.toJS() ?? {});
  if (parsed.success) return parsed.data;
  for (const issue of parsed.error.issues) {
    const place = placeOf(document.contents, issue.path, source);
    if (issue.code === 'unrecognized_keys') {
      for (const key of issue.keys) {
        const at = placeOf(document.contents, [...issue.path, key], source);
        const known = issue.path.length === 0 ? Object.keys(MailSettings.shape) : ['label', 'purpose', 'lifetimeSeconds'];
        problems.push(problem('setting-unknown', at, `There is no setting "${key}".`, didYouMean(key, known)));
      }
    } else {
      problems.push(problem('setting', place, `"${issue.path.join('.')}" ${sentence(issue.message)}.`));
    }
  }
  return fallback;
}

function sentence(message: string): string {
  return /^Invalid input: expected (.*), received undefined/.test(message) ? 'is missing' : message.replace(/^Invalid input: /, '');
}

function placeOf(node: unknown, path: readonly PropertyKey[], source: SourceText): ReturnType<SourceText['place']> {
  let at = node;
  let place = source.place(0, 0);
  for (const step of path) {
    if (!isMap(at)) break;
    const pair = at.items.find((one) => isScalar(one.key) && String(one.key.value) === String(step));
    if (pair === undefined) break;
    const key = pair.key as { range?: [number, number, number] };
    if (key.range !== undefined) place = source.place(key.range[0], key.range[1] - key.range[0]);
    at = pair.value;
  }
  return place;
}
