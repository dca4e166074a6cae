import { memo } from '../formats/index.js';
import { AGENTS } from './agents.js';

/** A link was followed, or a picture loaded. */
export interface Hit {
  readonly id: string;
  /** Milliseconds since the epoch. */
  readonly at: number;
  /** The number of the link; 0 for the picture. */
  readonly index: number;
  /** HTTP method. */
  readonly method: string;
  /** User-Agent; empty where there is none. */
  readonly agent: string;
  /** What the request says that it is for (Sec-Purpose, Purpose); empty if it has neither. */
  readonly purpose: string;
  /** Distinguishes networks, and reveals nothing else about them. */
  readonly from: string;
}

/** The email that hits belong to. */
export interface HitEmail {
  /** When it was accepted by the next server, or was due; undefined where that is not known. */
  readonly sentAt: number | undefined;
  /** How many links are tracked. */
  readonly links: number;
}

/** Who did it, and how that is known. */
export interface HitVerdict {
  readonly by: 'person' | 'machine' | 'unknown';
  /** A sentence. */
  readonly reason: string;
}

/** In milliseconds. */
const [SOON, BURST, PAIR, PROBE, NEAR] = [2000, 3000, 1000, 10_000, 10_000];
/** Links that no person follows within the time of a burst. */
const MANY = 3;

/** What is known of a user agent; most hits are of few. */
const knownAgent = memo((agent: string) => AGENTS.find(({ pattern }) => pattern.test(agent)), 500);

/** A verdict about a single hit. */
function alone(hit: Hit, { sentAt }: HitEmail): HitVerdict | undefined {
  const machine = (reason: string): HitVerdict => ({ by: 'machine', reason });
  if (hit.method !== 'GET') return machine(`It was asked for with ${hit.method}, which browsers do not do.`);
  if (/prefetch|preview|prerender/i.test(hit.purpose)) return machine(`The request says that it is a ${hit.purpose.slice(0, 40)}.`);
  if (hit.agent === '') return machine('The request names no user agent.');
  const known = knownAgent(hit.agent);
  if (known?.by === 'machine') return machine(`The user agent ${known.note}.`);
  if (sentAt !== undefined && hit.at >= sentAt - SOON && hit.at - sentAt < SOON)
    return machine('It came within two seconds of sending, sooner than anybody reads.');
  return undefined;
}

/** How many different links were followed by some of these hits. */
function differentLinks(hits: readonly Hit[], near: (hit: Hit) => boolean): number {
  const found: number[] = [];
  for (const hit of hits) if (hit.index > 0 && near(hit) && !found.includes(hit.index)) found.push(hit.index);
  return found.length;
}

/** A verdict about a hit by how the same program asked around it. @param same hits of the same program at about the same time */
function amongOthers(hit: Hit, same: readonly Hit[], email: HitEmail): HitVerdict | undefined {
  if (same.length < 2) return undefined;
  const within = (ms: number) => (other: Hit) => Math.abs(other.at - hit.at) <= ms;
  if (same.some((other) => other.method !== 'GET' && other.index === hit.index && within(PROBE)(other)))
    return { by: 'machine', reason: 'The same program asked with another method than browsers use.' };
  if (hit.index === 0) return undefined;
  const many = differentLinks(same, within(BURST));
  if (many >= MANY) return { by: 'machine', reason: `${many} links were followed within three seconds.` };
  if (email.links > 1 && differentLinks(same, within(PAIR)) >= email.links)
    return { by: 'machine', reason: 'All links were followed within one second.' };
  return undefined;
}

/** So far apart hits may be that say something of each other: one that is near another that is near a third. */
const REACH = NEAR + Math.max(BURST, PROBE);

/**
 * Who followed a link or loaded a picture. The same hits give the same verdict in whatever order they are looked at; it should be asked when all
 * hits of the ten seconds around are known.
 * @param others hits on the same email, the hit itself among them
 */
export function judgeHit(hit: Hit, others: readonly Hit[], email: HitEmail): HitVerdict {
  const same = others.filter(({ at, agent, from }) => Math.abs(at - hit.at) <= REACH && agent === hit.agent && from === hit.from);
  const direct = (asked: Hit): HitVerdict | undefined => alone(asked, email) ?? amongOthers(asked, same, email);
  const verdict = direct(hit);
  if (verdict !== undefined) return verdict;
  // A program that is found out once is one for all links that it asks for around that time.
  if (
    hit.index > 0 &&
    same.some((other) => other.id !== hit.id && other.index > 0 && Math.abs(other.at - hit.at) <= NEAR && direct(other)?.by === 'machine')
  )
    return { by: 'machine', reason: 'The same program followed other links as only a machine does.' };
  const known = knownAgent(hit.agent);
  if (known !== undefined) return { by: 'person', reason: `The user agent ${known.note}.` };
  if (!hit.agent.startsWith('Mozilla/'))
    return { by: 'unknown', reason: 'The user agent is not that of a browser or mail reader that is known.' };
  return { by: 'person', reason: hit.index > 0 ? 'A browser followed the link.' : 'A mail reader or browser loaded the picture.' };
}
