import { createHmac, timingSafeEqual } from 'node:crypto';

// 32 signs that survive systems which change the case of a local part.
const SIGNS = 'abcdefghijklmnopqrstuvwxyz234567';
/** Signs of the signature: 80 bits, so that nobody guesses one. */
const MAC_LENGTH = 16;

/** What a token is for: one is never good for the other. */
type Purpose = 'return-path' | 'reply';

function mac(secret: Uint8Array, purpose: Purpose, deliveryId: string): string {
  const digest = createHmac('sha256', secret).update(`${purpose}\0${deliveryId}`).digest();
  let bits = 0n;
  for (const byte of digest.subarray(0, 10)) bits = (bits << 8n) | BigInt(byte);
  let out = '';
  for (let i = 0; i < MAC_LENGTH; i += 1) {
    out = (SIGNS[Number(bits & 31n)] ?? '') + out;
    bits >>= 5n;
  }
  return out;
}

function token(secret: Uint8Array, purpose: Purpose, deliveryId: string): string {
  return `${deliveryId}-${mac(secret, purpose, deliveryId)}`;
}

function deliveryOf(secret: Uint8Array, purpose: Purpose, given: string): string | undefined {
  const found = /^([a-z0-9]{8,40})-([a-z2-7]{16})$/.exec(given.toLowerCase());
  if (found === null) return undefined;
  const [, id = '', signature = ''] = found;
  return timingSafeEqual(Buffer.from(mac(secret, purpose, id)), Buffer.from(signature)) ? id : undefined;
}

/** The token in the return path of a delivery: its id and a signature. Fits a local part (64 octets) behind "returns+". */
export function returnToken(secret: Uint8Array, deliveryId: string): string {
  return token(secret, 'return-path', deliveryId);
}

/** The delivery whose token this is; undefined for one that we did not make. */
export function deliveryOfToken(secret: Uint8Array, given: string): string | undefined {
  return deliveryOf(secret, 'return-path', given);
}

/** The local part of the address at which answers to a delivery arrive. */
export function replyLocal(secret: Uint8Array, deliveryId: string): string {
  return `${REPLY}${token(secret, 'reply', deliveryId)}`;
}

/** The delivery to whose answers a local part belongs; undefined for one that we did not make. */
export function deliveryOfReplyLocal(secret: Uint8Array, local: string): string | undefined {
  return local.toLowerCase().startsWith(REPLY) ? deliveryOf(secret, 'reply', local.slice(REPLY.length)) : undefined;
}

const REPLY = 'reply+';

/** What stands after "+" in an address's local part. */
export function tokenOf(address: string): string | undefined {
  const local = address.slice(0, Math.max(0, address.lastIndexOf('@')));
  const plus = local.indexOf('+');
  return plus === -1 ? undefined : local.slice(plus + 1);
}
