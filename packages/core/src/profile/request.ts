import { randomBytes } from 'node:crypto';
import { readPayloadTemplate, type Known, type KnownNames, type PayloadTemplate } from '../payload/index.js';
import { Budget } from '../problems/index.js';
import { bodyKind, flatFields, withoutEmpty, writeBody, xmlFaults } from './bodies.js';
import {
  checkComposition,
  compose,
  percentEncoded,
  readComposition,
  readSteps,
  type KnownPieces,
  type Piece,
  type PieceOf,
} from './composition.js';
import type { ProfileFaults } from './faults.js';
import { readSecretText, secretPiece, type Place } from './secrets.js';
import { MESSAGE_NAMES, type MessageView } from './message-names.js';
import type { Profile } from './schema.js';
import type { Authorisation } from './schema-request.js';

/** A request as it is sent. */
export interface MadeRequest {
  readonly method: string;
  readonly url: string;
  readonly headers: readonly (readonly [name: string, value: string])[];
  readonly body: Buffer;
}

/** What a request is made from. */
export interface RequestInput {
  readonly message: MessageView;
  /** Of the email, in bytes: what is made may be some times as large. */
  readonly size: number;
  /** Tells deliveries apart; the same gives the same boundary. */
  readonly deliveryId: string;
  /** More header fields, where the profile does not set them. */
  readonly headers?: readonly (readonly [name: string, value: string])[];
  /** An access token, where the profile needs one. */
  readonly token?: string | undefined;
  /** In milliseconds since the epoch, for signed requests. */
  readonly now: number;
  /** For signed requests; random when left out. */
  readonly nonce?: string;
}

/** What a profile may make of an email: so many entries, texts and turns of loops, so many bytes of its own, the email so many times. */
const MOST_STEPS = 200_000;
const MOST_OWN_BYTES = 1024 * 1024;
const MOST_REPEATS = 8;

function textOf(value: unknown): string {
  return typeof value === 'string' ? value : value === undefined || value === null ? '' : JSON.stringify(value);
}

/** What compositions of a signed request may name. */
const REQUEST_PIECES = [
  'request.method',
  'request.host',
  'request.path',
  'request.query',
  'request.url',
  'request.body',
  'request.length',
  'request.signedHeaders',
  'request.canonicalHeaders',
  'time.seconds',
  'time.milliseconds',
  'time.iso',
  'time.basic',
  'time.day',
  'time.http',
  'nonce',
];

function timePieces(now: number): Readonly<Record<string, string>> {
  const date = new Date(now);
  const iso = date.toISOString();
  return {
    'time.seconds': String(Math.floor(now / 1000)),
    'time.milliseconds': String(now),
    'time.iso': iso,
    'time.basic': `${iso.slice(0, 19).replace(/[-:]/g, '')}Z`,
    'time.day': iso.slice(0, 10).replace(/-/g, ''),
    'time.http': date.toUTCString(),
  };
}

/** A request on its way to being complete. */
class Draft {
  readonly headers: [name: string, value: string][];

  constructor(
    readonly method: string,
    readonly url: URL,
    headers: readonly (readonly [string, string])[],
    readonly body: Buffer,
  ) {
    this.headers = headers.map(([name, value]) => [name, value]);
  }

  has(name: string): boolean {
    return this.headers.some(([key]) => key === name.toLowerCase());
  }

  set(name: string, value: string): void {
    // What ends a header field cannot be in one (RFC 9110 5.5).
    this.headers.push([name.toLowerCase(), value.replace(/[\r\n\0]+/g, ' ').trim()]);
  }

  header(name: string): string | undefined {
    return name.toLowerCase() === 'host' ? this.url.host : this.headers.find(([key]) => key === name.toLowerCase())?.[1];
  }

  /** Parameters sorted by name and value, each percent-encoded. */
  sortedQuery(): string {
    return [...this.url.searchParams]
      .map(([name, value]) => `${percentEncoded(name)}=${percentEncoded(value)}`)
      .sort((a, b) => (a < b ? -1 : 1))
      .join('&');
  }

  finished(): MadeRequest {
    return { method: this.method, url: this.url.toString(), headers: this.headers, body: this.body };
  }
}

type Sign = (draft: Draft, input: RequestInput) => void;

function readSigned(
  { signs, before, steps, after }: Extract<Authorisation, { readonly kind: 'signed' }>,
  secrets: Readonly<Record<string, string>>,
  { path, faults }: Place,
): Sign {
  const ofSecrets = secretPiece(secrets);
  const known: KnownPieces = {
    names: [...REQUEST_PIECES, ...Object.keys(secrets).map((name) => `secrets.${name}`)],
    open: ['request.header.'],
    bytes: new Set(['request.body']),
    constant: ofSecrets,
  };
  const computation = readSteps(steps, known, { path: `${path}.steps`, faults });
  const addition = (list: typeof before, where: string, all: KnownPieces): ((draft: Draft, pieceOf: PieceOf) => void) => {
    const read = list.map((entry, i) => {
      checkComposition(entry.value, all, { path: `${path}.${where}.${i}.value`, faults });
      return { entry, value: readComposition(entry.value) };
    });
    return (draft, pieceOf) => {
      for (const { entry, value } of read) {
        const text = compose(value, pieceOf).toString('utf8');
        if ('header' in entry) draft.set(entry.header, text);
        else draft.url.searchParams.append(entry.query, text);
      }
    };
  };
  const addBefore = addition(before, 'before', known);
  const addAfter = addition(after, 'after', { ...known, names: [...known.names, ...computation.names], bytes: computation.bytes });
  const lower = [...new Set(signs.map((name) => name.toLowerCase()))].sort();
  return (draft, { now, nonce = randomBytes(16).toString('hex') }) => {
    const times = timePieces(now);
    const pieceOf: PieceOf = (name): Piece | undefined => {
      if (name.startsWith('request.header.')) return draft.header(name.slice('request.header.'.length));
      switch (name) {
        case 'request.method':
          return draft.method;
        case 'request.host':
          return draft.url.host;
        case 'request.path':
          return draft.url.pathname;
        case 'request.query':
          return draft.sortedQuery();
        case 'request.url':
          return draft.url.toString();
        case 'request.body':
          return draft.body;
        case 'request.length':
          return String(draft.body.length);
        case 'request.signedHeaders':
          return lower.join(';');
        case 'request.canonicalHeaders':
          return lower.map((header) => `${header}:${(draft.header(header) ?? '').replace(/\s+/g, ' ').trim()}\n`).join('');
        case 'nonce':
          return nonce;
        default:
          return times[name] ?? ofSecrets(name);
      }
    };
    addBefore(draft, pieceOf);
    addAfter(draft, computation.run(pieceOf));
  };
}

/** Values of the message as they stand in an address: no value of an email can move it to another path or host (RFC 3986 2.4). */
function forAddress(value: unknown): unknown {
  if (typeof value === 'string') return percentEncoded(value);
  if (typeof value !== 'object' || value === null || Array.isArray(value)) return value;
  return Object.fromEntries(Object.entries(value).map(([key, inner]) => [key, forAddress(inner)]));
}

const IN_ADDRESSES = ['id', 'deliveryId', 'from', 'recipient', 'returnPath', 'subject', 'template', 'topic', 'reference', 'size'] as const;

function addressView(message: MessageView): MessageView {
  return Object.fromEntries(IN_ADDRESSES.map((name) => [name, forAddress(message[name])]));
}

/** How a token is fetched, with its secrets put in. */
export interface TokenRequest {
  readonly tokenUrl: string;
  readonly clientId: string;
  readonly clientSecret: string;
  readonly scope: string | undefined;
  readonly audience: string | undefined;
  readonly sendsAs: 'basic' | 'body';
}

function readAuthorisation(
  authorisation: Authorisation | undefined,
  secrets: Readonly<Record<string, string>>,
  place: Place,
): { readonly sign: Sign; readonly token?: TokenRequest } {
  const text = (value: string, what: string): string => readSecretText(value, secrets, { ...place, path: `${place.path}.${what}` });
  switch (authorisation?.kind) {
    case undefined:
      return { sign: () => undefined };
    case 'basic': {
      const pair = `${text(authorisation.user, 'user')}:${text(authorisation.password, 'password')}`;
      const value = `Basic ${Buffer.from(pair, 'utf8').toString('base64')}`;
      return {
        sign: (draft) => {
          draft.set('authorization', value);
        },
      };
    }
    case 'bearer': {
      const value = `Bearer ${text(authorisation.token, 'token')}`;
      return {
        sign: (draft) => {
          draft.set('authorization', value);
        },
      };
    }
    case 'header': {
      const value = text(authorisation.value, 'value');
      return {
        sign: (draft) => {
          draft.set(authorisation.name, value);
        },
      };
    }
    case 'query': {
      const value = text(authorisation.value, 'value');
      return {
        sign: (draft) => {
          draft.url.searchParams.append(authorisation.name, value);
        },
      };
    }
    case 'client-credentials': {
      const { scope, audience, sendsAs } = authorisation;
      const tokenUrl = text(authorisation.tokenUrl, 'tokenUrl');
      checkUrl(tokenUrl, { ...place, path: `${place.path}.tokenUrl` });
      return {
        token: {
          tokenUrl,
          clientId: text(authorisation.clientId, 'clientId'),
          clientSecret: text(authorisation.clientSecret, 'clientSecret'),
          scope,
          audience,
          sendsAs,
        },
        sign: (draft, { token }) => {
          if (token !== undefined) draft.set('authorization', `Bearer ${token}`);
        },
      };
    }
    case 'signed':
      return { sign: readSigned(authorisation, secrets, place) };
  }
}

/** An address with its secrets put in, and something in place of everything else. */
function fixedUrl(text: string, secrets: Readonly<Record<string, string>>): string {
  return text.replace(/\{\{([^{}]*)\}\}/g, (_, name: string) => asPiece(secretPiece(secrets)(name.trim())));
}

function asPiece(piece: Piece | undefined): string {
  return typeof piece === 'string' && piece !== '' ? piece : 'x';
}

/** An address must name its scheme and host before anything of an email is put in. */
function checkUrl(fixed: string, { path, faults }: Place): void {
  if (!/^https?:\/\/[^/?#]/i.test(fixed) || !URL.canParse(fixed))
    faults.add(path, 'is not an address.', `Begin it with https://, as in "https://api.provider.example/${fixed.replace(/^\/+/, '')}".`);
}

function pick(names: KnownNames, wanted: readonly string[]): KnownNames {
  return Object.fromEntries(wanted.map((name) => [name, names[name]]));
}

export interface ReadRequest {
  /** @throws BudgetExceeded where the template makes too much, Error where an address cannot be made */
  readonly make: (input: RequestInput) => MadeRequest;
  /** The call that shows whether the provider knows us; undefined where the profile describes none. */
  readonly makeCheck: ((input: Pick<RequestInput, 'token' | 'now' | 'nonce'>) => MadeRequest) | undefined;
  readonly token: TokenRequest | undefined;
  /** Where it goes: "https://api.parcel.example". Holds no secret. */
  readonly origin: string;
}

/** Compiles how a request is made. */
export function readRequest(profile: Profile, faults: ProfileFaults): ReadRequest {
  const { request, secrets } = profile;
  const names: Readonly<Record<string, Known>> = { secrets: Object.keys(secrets), message: { fields: MESSAGE_NAMES } };
  const read = (template: unknown, path: string, known = names): PayloadTemplate => {
    const absent = request.empty === 'sent' ? 'null' : 'left-out';
    const { payload, problems } = readPayloadTemplate(template, path, known, { absent });
    for (const problem of problems) faults.add(path, `is not right at ${problem.message}`, problem.hint);
    return payload;
  };
  const kind = bodyKind(request);
  const url = read(request.url, 'request.url', { ...names, message: { fields: pick(MESSAGE_NAMES, IN_ADDRESSES) } });
  const query = read(request.query, 'request.query');
  const headers = read(request.headers, 'request.headers');
  const body = read(request[kind], `request.${kind}`);
  const fixed = fixedUrl(request.url, secrets);
  checkUrl(fixed, { path: 'request.url', faults });
  if (kind === 'xml') for (const { path, message } of xmlFaults(request.xml, 'request.xml')) faults.add(path, message);
  const { sign, token } = readAuthorisation(profile.authorisation, secrets, { path: 'authorisation', faults });
  const { check } = profile;
  const checkAddress = check === undefined ? undefined : fixedUrl(check.url, secrets);
  if (checkAddress !== undefined) checkUrl(checkAddress, { path: 'check.url', faults });
  return {
    makeCheck:
      check === undefined || checkAddress === undefined
        ? undefined
        : (input) => {
            const draft = new Draft(check.method, new URL(checkAddress), [], Buffer.alloc(0));
            sign(draft, { message: {}, size: 0, deliveryId: '', ...input });
            return draft.finished();
          },
    token,
    origin: URL.canParse(fixed) ? new URL(fixed).origin : fixed,
    make(input) {
      const view = { message: input.message, secrets };
      const work = new Budget('It', { steps: MOST_STEPS, bytes: MOST_OWN_BYTES + MOST_REPEATS * input.size });
      const { type, body: bytes } = writeBody(request, body(view, work), input.deliveryId);
      const address = textOf(url({ message: addressView(input.message), secrets }, work));
      if (!URL.canParse(address)) throw new Error(`its address would be "${address.slice(0, 200)}"`);
      const draft = new Draft(request.method, new URL(address), [], bytes);
      const parameters = query(view, work);
      for (const [name, value] of flatFields(request.empty === 'left-out' ? withoutEmpty(parameters) : parameters, request.lists))
        draft.url.searchParams.append(name, textOf(value));
      for (const [name, value] of Object.entries(headers(view, work) as Record<string, unknown>)) draft.set(name, textOf(value));
      for (const [name, value] of input.headers ?? []) if (!draft.has(name)) draft.set(name, value);
      // The same for each attempt of a delivery.
      const { header } = request.idempotency ?? {};
      if (header !== undefined && !draft.has(header)) draft.set(header, input.deliveryId);
      if (!draft.has('content-type')) draft.set('content-type', type);
      sign(draft, input);
      return draft.finished();
    },
  };
}
