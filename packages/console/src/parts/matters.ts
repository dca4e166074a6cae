import type { TemplateList } from '@verbalis/client';
import { useQuery } from '@tanstack/react-query';
import { useSession } from '../session.js';

/** Something that needs a person, and where they see to it. */
export interface Matter {
  readonly level: 'must' | 'should';
  readonly text: string;
  readonly to: string;
}

const REFRESH_MS = 30_000;
const SECONDS_DUE = 900;

/** Asks for a list whose failure is not worth a word here: its own page says it. */
function useList<T>(name: string, read: () => Promise<T>, isWanted = true): T | undefined {
  const { space } = useSession();
  return useQuery({ queryKey: ['matters', space.name, name], queryFn: read, refetchInterval: REFRESH_MS, enabled: isWanted }).data;
}

const counted = (n: number, single: string, many: string): string => `${n.toLocaleString('en')} ${n === 1 ? single : many}`;

function useQuarantine(): Matter[] {
  const { client } = useSession();
  const items = useList('quarantine', () => client.quarantine.list({ limit: 50 }))?.items ?? [];
  if (items.length === 0) return [];
  const text = `${items.length === 50 ? '50 items or more' : counted(items.length, 'item', 'items')} could not be processed: ${items[0]?.title ?? ''}`;
  return [{ level: 'must', text, to: '/set-up/quarantine' }];
}

/** Of the step Write. @param list undefined while it is read */
export function writeMatters(list: TemplateList | undefined): Matter[] {
  if (list === undefined) return [];
  const page = (name: string): string => `/write/templates/${name}`;
  const broken = list.templates.filter(({ errors }) => errors > 0);
  const warned = list.templates.filter(({ errors, warnings }) => errors === 0 && warnings > 0);
  const untranslated = list.templates.filter((template) => template.untranslated.length > 0);
  return [
    ...broken.map(({ name, errors }): Matter => ({
      level: 'must',
      text: `${name} has ${counted(errors, 'error', 'errors')}`,
      to: page(name),
    })),
    ...warned.map(({ name, warnings }): Matter => ({
      level: 'should',
      text: `${name} has ${counted(warnings, 'warning', 'warnings')}`,
      to: page(name),
    })),
    ...untranslated.map(({ name, untranslated: locales }): Matter => ({
      level: 'should',
      text: `${name} is not there in ${locales.join(', ')}`,
      to: page(name),
    })),
  ];
}

/** Of the step Send: what keeps email from leaving. */
export function useSendMatters(): Matter[] {
  const { client } = useSession();
  const queue = useList('queue', () => client.queue.get());
  const providers = useList('providers', () => client.providers.list())?.providers ?? [];
  const holds = useList('holds', () => client.holds.list())?.holds ?? [];
  const schedules = useList('schedules', () => client.schedules.list())?.schedules ?? [];
  const bulkSends = useList('bulk-sends', () => client.bulkSends.list({ limit: 20 }))?.bulkSends ?? [];
  const held = holds.reduce((sum, hold) => sum + hold.held, 0);
  const late = (queue?.topics ?? []).filter(({ due, oldest }) => due > 0 && Date.now() - Date.parse(oldest) > SECONDS_DUE * 1000);
  const quarantine = useQuarantine();
  return [
    ...providers.flatMap(({ name, state, why }): Matter[] => {
      if (state === 'working' || state === 'probing') return [];
      if (state === 'paused') return [{ level: 'should', text: `${name} is paused`, to: '/set-up/providers' }];
      return [{ level: 'must', text: `${name} is in trouble${why === undefined ? '' : `: ${why}`}`, to: '/set-up/providers' }];
    }),
    ...quarantine,
    ...schedules.flatMap(({ name, lastRun }): Matter[] =>
      lastRun?.state === 'failed'
        ? [{ level: 'must', text: `The last run of ${name} failed: ${lastRun.why ?? ''}`, to: `/send/schedules/${name}` }]
        : [],
    ),
    ...bulkSends.flatMap(({ id, name, state, problem }): Matter[] => {
      if (state === 'failed') return [{ level: 'must', text: `${name} stopped: ${problem ?? ''}`, to: `/send/bulk-sends/${id}` }];
      return state === 'paused' ? [{ level: 'should', text: `${name} is paused`, to: `/send/bulk-sends/${id}` }] : [];
    }),
    ...(held > 0 ? [{ level: 'should', text: `${counted(held, 'delivery is', 'deliveries are')} held`, to: '/send' } as const] : []),
    ...late.map(({ topic, due }): Matter => ({
      level: 'should',
      text: `${counted(due, 'delivery', 'deliveries')} of ${topic ?? 'no topic'} should have left over a quarter of an hour ago`,
      to: '/send',
    })),
  ];
}

/** How long one looks for an email that has not come, in milliseconds. */
const LOOKED_FOR_MS = 86_400_000;

/** Of the step Try: why an expected email is not among the captured ones. */
export function useTryMatters(): Matter[] {
  const { client } = useSession();
  const withheld = useList('withheld', () => client.messages.list({ state: 'withheld', limit: 20 }))?.messages ?? [];
  const templates = useList('broken', () => client.templates.list())?.templates ?? [];
  const quarantine = useQuarantine();
  return [
    ...templates.flatMap(({ name, errors }): Matter[] =>
      errors > 0
        ? [
            {
              level: 'must',
              text: `${name} has ${counted(errors, 'error', 'errors')}: nothing is made from it`,
              to: `/write/templates/${name}`,
            },
          ]
        : [],
    ),
    ...quarantine,
    ...withheld.flatMap(({ id, createdAt, deliveries }): Matter[] =>
      Date.now() - Date.parse(createdAt) > LOOKED_FOR_MS
        ? []
        : deliveries
            .filter(({ state }) => state === 'withheld')
            .map(({ address, cause }) => ({
              level: 'should',
              text: `Email to ${address} was withheld${cause === undefined ? '' : `: ${cause}`}`,
              to: `/track/messages/${id}`,
            })),
    ),
  ];
}

/** Of the step Track: what went wrong, and who was not notified of it. */
export function useTrackMatters(): Matter[] {
  const { client } = useSession();
  const alerts = useList('alerts', () => client.alerts.list())?.alerts ?? [];
  const subscriptions = useList('subscriptions', () => client.subscriptions.list())?.subscriptions ?? [];
  const quarantine = useQuarantine();
  return [
    ...alerts.flatMap(({ resolvedAt, text }): Matter[] => (resolvedAt === undefined ? [{ level: 'must', text, to: '/track/alerts' }] : [])),
    ...quarantine,
    ...subscriptions.flatMap(({ id, name, state, reason, deadLetters, restingUntil }): Matter[] => {
      const to = `/track/subscriptions/${id}`;
      if (state === 'gone' || restingUntil !== undefined)
        return [{ level: 'must', text: `${name} does not accept its events${reason === undefined ? '' : `: ${reason}`}`, to }];
      if (state === 'paused') return [{ level: 'should', text: `${name} is paused`, to }];
      return deadLetters > 0
        ? [{ level: 'should', text: `${counted(deadLetters, 'event', 'events')} could not be delivered to ${name}`, to }]
        : [];
    }),
  ];
}

/** Of the step Set up. */
export function useSetUpMatters(): Matter[] {
  const { client, operator } = useSession();
  const findings = useList('doctor', () => client.doctor.get(), operator)?.findings ?? [];
  const domains = useList('domains', () => client.domains.list(), operator)?.domains ?? [];
  const senders = useList('senders', () => client.senders.list())?.senders ?? [];
  return [
    ...findings.flatMap(({ level, title }): Matter[] => (level === 'good' ? [] : [{ level, text: title, to: '/set-up/health' }])),
    ...domains.flatMap(({ name, state }): Matter[] =>
      state === 'open' ? [{ level: 'must', text: `The records of ${name} are not right`, to: `/set-up/domains/${name}` }] : [],
    ),
    ...senders.flatMap(({ address, usable, standing }): Matter[] =>
      usable
        ? []
        : [
            {
              level: 'should',
              text: `${address} cannot be used as a sender${standing === 'waiting' ? ' until its owner has confirmed it' : ''}`,
              to: '/set-up/senders',
            },
          ],
    ),
  ];
}
