import type { AddressKind } from '../blocks/index.js';
import type { Expression } from '../notation/index.js';
import { Fault, problem, type Place } from '../problems/index.js';
import { absolute, type Address, type AddressValue, type Encoding } from '../render/index.js';
import { anythingHint, hasFormat, inWords, isFaulty, shown, type Type } from '../typing/index.js';
import type { CompileContext } from './context.js';
import { placed, valueOf, type Names } from './values.js';

/** A value where it is: the expression, and the names that it sees. */
export interface Slot {
  readonly expression: Expression;
  readonly names: Names;
}

/** Replaces a value when the fixed text of an address is examined: a letter without a meaning in addresses. */
const STAND_IN = 'x';

/** The component of an address in which its next piece stands. */
type Position = 'start' | 'authority' | Exclude<Encoding, 'whole'>;

/** Where the text before says that a value stands (RFC 3986 3; "\" is "/" to the URL Standard). */
function positionAfter(before: string): Position {
  const text = before
    .replace(/^[\s\u0000-\u0020]+/, '')
    .replace(/[\t\r\n]/g, '')
    .replaceAll('\\', '/');
  if (text === '') return 'start';
  const scheme = /^([a-z][a-z0-9+.-]*):(.*)$/is.exec(text);
  const name = scheme?.[1]?.toLowerCase();
  const rest = scheme?.[2] ?? text;
  if (/[?#]/.test(rest)) return 'component';
  if (name === 'mailto') return 'mailbox';
  if (name === 'tel' || name === 'sms') return 'number';
  if (name === 'cid') return 'segment';
  const host = /^\/\/[^/?#]*/.exec(rest);
  if (host !== null) return host[0].length === rest.length ? 'authority' : 'segment';
  return scheme === null ? 'segment' : 'authority';
}

/**
 * Makes an address of its pieces: decides for each value by the component it is in how it is encoded, and whether it is allowed there.
 * Data never says where a link leads, unless the whole address is data and its schema says so.
 */
export function addressOf(pieces: readonly (string | Slot)[], context: CompileContext, place: Place, kind: AddressKind): Address {
  const at = placed(place);
  const fault = (code: string, where: Place, message: string, hint?: string): void => {
    context.problems.push(problem(code, where, message, hint));
  };
  const picture = kind === 'link' ? {} : { carries: 'picture' as const };
  const parts: (string | AddressValue)[] = kind === 'carried' ? ['cid:'] : [];
  const fixedOnly = pieces.every((piece) => typeof piece === 'string');
  if (fixedOnly) {
    const whole = pieces.join('');
    const asset = assetFault(whole, context, kind);
    if (asset !== undefined) fault('asset-missing', place, asset);
    else if (!isPlacedAsset(whole, context, kind))
      tryAbsolute(whole, context, (error) => {
        fault(error.code, place, error.message, error.hint);
      });
    return { parts: [...parts, whole], at, ...picture };
  }
  if (kind === 'carried') {
    fault('address-carried', place, 'A picture that travels in the mail is written out, not taken from data.', 'Name a file of assets/.');
    return { parts: [], at };
  }
  let before = '';
  pieces.forEach((piece, i) => {
    if (typeof piece === 'string') {
      if (i === 1 && isWhole(parts[0]) && !/^[/?#]/.test(piece))
        fault(
          'address-tail',
          place,
          `After a whole address from data, "${piece.slice(0, 20)}" could change its host.`,
          'Go on with "/", "?" or "#".',
        );
      parts.push(piece);
      before += piece;
      return;
    }
    const { expression, names } = piece;
    const type = context.types.get(expression);
    const position = positionAfter(before);
    before += STAND_IN;
    const value = valueOf(expression, names);
    if (position === 'start') {
      const why = type === undefined ? undefined : wholeFault(type, expression, context);
      if (why !== undefined) fault('address-type', expression.place, why.message, why.hint);
      if (value.k === 'url') parts.push(...value.address.parts);
      else parts.push({ value, encode: 'whole' });
    } else if (position === 'authority') {
      fault(
        'address-host',
        expression.place,
        `"${shown(expression)}" would be in the host of this address, and data must not change where a link leads.`,
        'Write a "/" before it, or take the whole address from a field of "format": "uri".',
      );
    } else {
      const isEncoded = type?.members.every((member) => hasFormat(member, 'percent-encoded')) === true && type.members.length > 0;
      parts.push({ value, encode: position, ...(isEncoded ? { encoded: true as const } : {}) });
    }
  });
  const scheme = /^[a-z][a-z0-9+.-]*:/i.exec(before)?.[0] ?? '';
  const first = pieces.findIndex((piece) => typeof piece !== 'string');
  const fixedStart = pieces
    .slice(0, first)
    .filter((piece) => typeof piece === 'string')
    .join('');
  if (scheme.length > fixedStart.length && !isWhole(parts[0]))
    fault('address-host', place, 'Data would be part of the scheme of this address.', 'Write the scheme out, or a "/" before the value.');
  else if (fixedStart !== '')
    tryAbsolute(before, context, (error) => {
      fault(error.code, place, error.message, error.hint);
    });
  return { parts, at, ...picture };
}

function isWhole(part: string | AddressValue | undefined): boolean {
  return typeof part === 'object' && part.encode === 'whole';
}

function tryAbsolute(address: string, context: CompileContext, onFault: (error: Fault) => void): void {
  try {
    absolute(address, context.baseUrl, '');
  } catch (error) {
    if (!(error instanceof Fault)) throw error;
    onFault(error);
  }
}

/** Why a value cannot be a whole address; undefined when it can. */
function wholeFault(type: Type, expression: Expression, context: CompileContext): { message: string; hint: string } | undefined {
  if (isFaulty(type)) return undefined;
  for (const member of type.members) {
    if (member.kind === 'text' && member.values !== undefined) {
      for (const value of member.values) {
        let why: string | undefined;
        tryAbsolute(value, context, (error) => {
          why = error.message;
        });
        if (why !== undefined)
          return { message: `"${shown(expression)}" may be ${JSON.stringify(value)}. ${why}`, hint: 'Give a whole address.' };
      }
    } else if (hasFormat(member, 'uri-reference') && context.baseUrl === '') {
      return {
        message: `"${shown(expression)}" may be an address without a host, and there is no base URL.`,
        hint: 'Set "baseUrl" in mail.yaml, or give the field "format": "uri".',
      };
    } else if (!hasFormat(member, 'uri') && !hasFormat(member, 'uri-reference'))
      return {
        message: `"${shown(expression)}" is ${inWords({ absent: false, members: [member] })}, not an address that a link could take as a whole.`,
        hint:
          anythingHint(type) ??
          `Give the field "format": "uri" in the data schema, or write the fixed part of the address before it: /path/{{ ${shown(expression)} }}.`,
      };
  }
  return undefined;
}

/** The file of assets/ that an address names. */
export function assetPath(address: string): string | undefined {
  const path = address
    .trim()
    .replace(/^cid:/, '')
    .replace(/^\.?\//, '')
    .replace(/[?#].*/s, '');
  return path.startsWith('assets/') ? path : undefined;
}

function assetFault(address: string, context: CompileContext, kind: AddressKind): string | undefined {
  const path = assetPath(address);
  if (path === undefined)
    return kind === 'carried' || /^\s*cid:/.test(address)
      ? `"${address}" cannot travel in the mail: only pictures of assets/ can.`
      : undefined;
  return context.assets.has(path) ? undefined : `There is no ${path} in the mail folder.`;
}

function isPlacedAsset(address: string, context: CompileContext, kind: AddressKind): boolean {
  const path = assetPath(address);
  return path !== undefined && (kind === 'carried' || /^\s*cid:/.test(address) || context.hasAssetUrl);
}

/** Whether a written address needs no change: it is absolute and well formed, and no file of the mail folder. */
export function isAsItStands(address: string, context: CompileContext): boolean {
  if (assetPath(address) !== undefined || !/^[a-z][a-z0-9+.-]*:/i.test(address)) return false;
  try {
    const whole = absolute(address, context.baseUrl, '');
    return whole === address || whole === `${address}/`;
  } catch (error) {
    if (error instanceof Fault) return false;
    throw error;
  }
}
