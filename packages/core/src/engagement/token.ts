import { createHmac, timingSafeEqual } from 'node:crypto';
import { deflateRawSync, inflateRawSync } from 'node:zlib';

/** Whose email a link or picture was in. */
export type HitOf =
  /** A delivery: what happens is tied to its recipient. */
  | { readonly mode: 'individual'; readonly deliveryId: string }
  /** Only what the email was; `group` tells emails apart for as long as hits are judged, and is not kept. */
  | {
      readonly mode: 'counts';
      readonly group: string;
      readonly space: string;
      readonly template: string;
      readonly topic: string;
      /** When it was due, in minutes since the epoch. */
      readonly sentMinute: number;
    };

/** What an address that the service has put into an email stands for. */
export interface HitToken {
  readonly of: HitOf;
  /** The number of the link; 0 for the picture. */
  readonly index: number;
  /** How many links of the email are tracked. */
  readonly links: number;
  readonly label: string;
  readonly block: string;
  /** Where the link leads; empty for the picture. */
  readonly url: string;
}

/** 128 bits (RFC 2104, 5: at least half of the hash). */
const MAC_BYTES = 16;
/** What is longer is compressed: mail readers cut addresses of more than about 2,000 characters off. */
const LONG = 300;
const MOST_BYTES = 64 * 1024;
const [PLAIN, DEFLATED] = [1, 2];

const macOf = (key: Uint8Array, text: Uint8Array): Buffer => createHmac('sha256', key).update(text).digest().subarray(0, MAC_BYTES);

/** The token, for an address: signed, so that it cannot redirect to anything else. It needs no record, so it never expires. */
export function writeHitToken(key: Uint8Array, { of, index, links, label, block, url }: HitToken): string {
  const whose =
    of.mode === 'individual' ? ['i', of.deliveryId] : ['c', of.group, of.space, of.template, of.topic, of.sentMinute.toString(36)];
  const text = Buffer.from([...whose, index, links, label, block, url].join('\n'), 'utf8');
  const body =
    text.length > LONG ? Buffer.concat([Buffer.from([DEFLATED]), deflateRawSync(text)]) : Buffer.concat([Buffer.from([PLAIN]), text]);
  return Buffer.concat([macOf(key, body), body]).toString('base64url');
}

/** @returns undefined for a token that was not made with this key, and for one that was altered */
export function readHitToken(key: Uint8Array, token: string): HitToken | undefined {
  if (!/^[\w-]{30,20000}$/.test(token)) return undefined;
  const bytes = Buffer.from(token, 'base64url');
  const body = bytes.subarray(MAC_BYTES);
  // Base64 has several spellings of the last byte; only ours is one of our tokens.
  if (!timingSafeEqual(bytes.subarray(0, MAC_BYTES), macOf(key, body)) || bytes.toString('base64url') !== token) return undefined;
  const text = body[0] === DEFLATED ? inflateRawSync(body.subarray(1), { maxOutputLength: MOST_BYTES }) : body.subarray(1);
  const fields = text.toString('utf8').split('\n');
  const isIndividual = fields[0] === 'i';
  const [index = '', links = '', label = '', block = '', url = ''] = fields.slice(isIndividual ? 2 : 6);
  const [, first = '', space = '', template = '', topic = '', minute = ''] = fields;
  const of: HitOf = isIndividual
    ? { mode: 'individual', deliveryId: first }
    : { mode: 'counts', group: first, space, template, topic, sentMinute: Number.parseInt(minute, 36) };
  return { of, index: Number(index), links: Number(links), label, block, url };
}
