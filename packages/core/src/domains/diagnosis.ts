import type { Fault } from './finding.js';
import { receive, type See } from './receiver.js';
import { valueOf } from './record.js';
import type { ZoneAnswer, ZoneType } from './servers.js';
import type { WantedRecord } from './wanted.js';

/** Where a fault is looked into. */
export interface Scene {
  readonly wanted: WantedRecord;
  /** The name of the zone. */
  readonly zone: string;
  /** The domain that the record is for. */
  readonly domain: string;
  readonly see: See;
}

/** Finds out how a record was entered wrongly. @returns the fault itself where it cannot be explained better */
export async function explained(fault: Fault, scene: Scene): Promise<Fault> {
  const { wanted, see } = scene;
  const { name, type } = wanted.record;
  const answer = await see(name, type);
  if (answer.status === 'found')
    return (await ofWildcard(answer, scene)) ?? (await ofText(fault, answer, scene)) ?? (await ofOther(fault, scene));
  return fault.kind === 'missing' || fault.kind === 'alias-to-nothing' ? ofMissing(fault, scene) : fault;
}

/** Nobody chooses this label: what is found here is found everywhere. */
const PROBE = 'verbalis-probe-7f3a';

async function ofWildcard(
  answer: ZoneAnswer & { readonly status: 'found' },
  { wanted: { record }, see }: Scene,
): Promise<Fault | undefined> {
  const parent = record.name.slice(record.name.indexOf('.') + 1);
  const probe = await see(`${PROBE}.${parent}`, record.type);
  if (probe.status !== 'found' || textOf(probe) !== textOf(answer)) return undefined;
  return { kind: 'wildcard', found: textOf(answer), detail: `*.${parent}` };
}

const textOf = (answer: ZoneAnswer): string =>
  answer.status === 'found'
    ? answer.records
        .map(({ value, priority }) => (priority === undefined ? value : `${priority} ${value}`))
        .sort()
        .join('\n')
    : '';

/** Characters that come along with a value, in words. */
const STRAYS: readonly (readonly [RegExp, string])[] = [
  [/["“”„«»]/, 'quotes'],
  [/\\/, 'backslashes'],
  [/[\r\n]/, 'line breaks'],
  [/[\t\u{a0}\u{200b}-\u{200f}\u{feff}\u{ad}]/u, 'characters that cannot be seen'],
];

/** What a value may have been before it was pasted. */
function cleanedForms(text: string): string[] {
  const joined = text.replace(/["“”„«»]\s*["“”„«»]/g, '');
  const bare = joined.replace(/["“”„«»\\\u{200b}-\u{200f}\u{feff}\u{ad}]/gu, '');
  return [bare.replace(/[\r\n\t\u{a0}]+/gu, ''), bare.replace(/[\r\n\t\u{a0}]+/gu, ' '), bare.replace(/\s+/g, '').replace(/;/g, '; ')].map(
    (form) => form.trim(),
  );
}

/** A value that is nearly right. */
async function ofText(fault: Fault, answer: ZoneAnswer & { readonly status: 'found' }, scene: Scene): Promise<Fault | undefined> {
  const { wanted } = scene;
  if (wanted.record.type !== 'TXT') return undefined;
  for (const { value: text } of answer.records) {
    const strays = STRAYS.filter(([pattern]) => pattern.test(text)).map(([, word]) => word);
    if (strays.length > 0)
      for (const form of cleanedForms(text))
        if (await wouldBeRight(scene, [...answer.records.filter(({ value }) => value !== text), { value: form, ttl: 0 }]))
          return { kind: 'stray-characters', found: text, detail: strays.join(' and ') };
    const found = wanted.purpose === 'dkim' ? ofKey(text, wanted.record.text) : undefined;
    if (found !== undefined) return found;
    const more = text.slice(wanted.record.text.length).trim();
    if (text.startsWith(wanted.record.text) && more !== '') return { kind: 'trailing-text', found: text, detail: `"${more.slice(0, 60)}"` };
  }
  return fault.kind === 'several-records' ? fault : undefined;
}

/** A key that is the wanted one in part, or with more behind it. */
function ofKey(text: string, wanted: string): Fault | undefined {
  const keyOf = (record: string): string => /(?:^|;)\s*p=([^;]*)/.exec(record)?.[1]?.replace(/\s+/g, '') ?? '';
  const [own, found] = [keyOf(wanted), keyOf(text)];
  if (found === '' || found === own) return undefined;
  if (own.startsWith(found)) return { kind: 'cut-off', found: text, detail: `${found.length} of ${own.length}` };
  if (found.startsWith(own)) return { kind: 'trailing-text', found: text, detail: `"${found.slice(own.length).slice(0, 60)}"` };
  return undefined;
}

/** Whether receivers would take the record if the name had these. */
async function wouldBeRight(
  { wanted, see }: Scene,
  records: readonly { readonly value: string; readonly ttl: number }[],
): Promise<boolean> {
  const { name, type } = wanted.record;
  const changed: See = (asked, of) => (asked === name && of === type ? Promise.resolve({ status: 'found', records }) : see(asked, of));
  return (await receive(wanted, changed)).status === 'right';
}

/** Another value is published; the right one may be at another name. */
async function ofOther(fault: Fault, scene: Scene): Promise<Fault> {
  const isVague = fault.kind === 'missing' || fault.kind === 'other-value';
  return isVague ? ofMissing(fault, scene) : fault;
}

/** Where the record may be instead. */
async function ofMissing(fault: Fault, scene: Scene): Promise<Fault> {
  const { wanted, see } = scene;
  const { name } = wanted.record;
  for (const type of otherTypes(wanted)) {
    const answer = await see(name, type);
    const found = valuesOf(answer, type);
    if (found.some((value) => value.toLowerCase() === valueOf(wanted.record).toLowerCase() || isHostOf(wanted, value)))
      return { kind: 'wrong-type', found: `${type} ${found.join(', ')}`, detail: type };
  }
  for (const [kind, place] of otherPlaces(scene)) {
    const answer = await see(place, wanted.record.type);
    // What a wildcard answers with is nowhere in particular.
    if (answer.status !== 'found' || textOf(await see(`${PROBE}.${place}`, wanted.record.type)) === textOf(answer)) continue;
    const changed: See = (asked, of) => (asked === name && of === wanted.record.type ? Promise.resolve(answer) : see(asked, of));
    if ((await receive(wanted, changed)).status === 'right') return { kind, found: textOf(answer), detail: place };
  }
  return fault;
}

function otherTypes({ record, purpose }: WantedRecord): ZoneType[] {
  if (record.type === 'TXT') return purpose === 'spf' ? ['SPF', 'CNAME'] : ['SPF'];
  return record.type === 'CNAME' ? ['TXT', 'A'] : ['TXT', 'CNAME'];
}

function valuesOf(answer: ZoneAnswer, type: ZoneType): string[] {
  if (type === 'CNAME') return 'alias' in answer && answer.alias !== undefined ? [answer.alias] : [];
  return answer.status === 'found' ? answer.records.map(({ value }) => value.replace(/\.$/, '')) : [];
}

/** Whether a value of another type names the host that is wanted. */
function isHostOf({ record }: WantedRecord, value: string): boolean {
  return record.type !== 'TXT' && value.replace(/^\d+\s+/, '').toLowerCase() === record.host;
}

/** Names that a record is entered under by mistake: with the zone twice, without what stands between, without the underscores. */
function otherPlaces({ wanted, zone, domain }: Scene): (readonly ['doubled-name' | 'other-place', string])[] {
  const { name } = wanted.record;
  const doubled = [...new Set([`${name}.${zone}`, `${name}.${domain}`])];
  const within = domain.endsWith(`.${zone}`) ? name.slice(0, -domain.length) + zone : name;
  const others = [within, name.replace(/(^|\.)_/g, '$1'), ...(wanted.purpose === 'spf' ? [domain] : [])];
  return [
    ...doubled.map((place) => ['doubled-name', place] as const),
    ...[...new Set(others)].filter((place) => place !== name).map((place) => ['other-place', place] as const),
  ];
}
