import { isDeepStrictEqual } from 'node:util';
import { createHash, randomBytes, timingSafeEqual } from 'node:crypto';
import type { LoadedEdition } from '../editions/index.js';
import { dataCheck, schemaBoundFault, type DataCheck } from '@verbalis/core/typing';
import { didYouMean, Fault } from '@verbalis/core/problems';
import type * as z from 'zod';
import {
  empty,
  endpointsOf,
  instant,
  invalid,
  json,
  jsonBody,
  newId,
  pageOf,
  Refusal,
  Reply,
  smallJsonBody,
  textParams,
  type CallerKey,
  type Clock,
} from '../../kernel/index.js';
import { callerKey } from '../keys/index.js';
import { IdempotencyHeader, idempotencyKeyOf, type Acceptor } from '../messages/index.js';
import { NewPermit, PermitList, PermitMade, PermitQuery, PermittedMessage, PermittedTaken, type PermitView } from './model.js';
import type { PermitRow } from './queries.js';
import type { Store } from './store.js';
import type { PermitCommon } from './tables.js';

export interface PermitEndpoints {
  readonly store: Store;
  readonly clock: Clock;
  readonly accept: Pick<Acceptor, 'batch'>;
  readonly current: (space: string) => Promise<LoadedEdition | undefined>;
  /** Whether a page of this origin may ask for emails of a space. */
  readonly isOriginOf: (space: string, origin: string) => boolean;
  /** Reads who is signed in; undefined where a space does not say whose tokens prove it. */
  readonly identityOf: (space: string) => ((token: string) => Promise<string>) | undefined;
}

const endpoint = endpointsOf<PermitEndpoints>();
const SECRET_BYTES = 24;
/** The largest request of a browser. */
const MOST_BYTES = 64 * 1024;

const hashOf = (permit: string): string => createHash('sha256').update(permit).digest('hex');

function stateOf({ revokedAt, used, times, expiresAt }: PermitRow, now: number): z.input<typeof PermitView>['state'] {
  if (revokedAt !== null) return 'revoked';
  if (used >= times) return 'used';
  return expiresAt <= now ? 'expired' : 'open';
}

function view(row: PermitRow, now: number): z.input<typeof PermitView> {
  const { id, common, times, used, createdAt, expiresAt } = row;
  return {
    id,
    template: common.template,
    state: stateOf(row, now),
    to: common.to === undefined ? 'identity' : [...common.to],
    times,
    used,
    createdAt: instant(createdAt),
    expiresAt: instant(expiresAt),
  };
}

/** What a browser may add. @throws Refusal where that is no schema of fields */
function additionCheck(mayAdd: Readonly<Record<string, unknown>>): { readonly fields: readonly string[]; readonly check: DataCheck } {
  const { type, properties } = mayAdd;
  const fault = (message: string, hint?: string): Refusal => invalid([{ path: 'mayAdd', message, hint }]);
  if (type !== 'object' || typeof properties !== 'object' || properties === null)
    throw fault(
      'must be a JSON Schema of type object with properties',
      '{"type": "object", "properties": {"note": {"type": "string", "maxLength": 500}}}',
    );
  const tooMuch = schemaBoundFault(mayAdd);
  if (tooMuch !== undefined) throw fault(`is too large: ${tooMuch}`);
  try {
    return { fields: Object.keys(properties), check: dataCheck(mayAdd) };
  } catch (error) {
    if (!(error instanceof Fault)) throw error;
    throw fault(`is not a valid JSON Schema: ${error.message}`);
  }
}

/** Everything that would make a permit useless is found when it is made. @throws Refusal */
async function refuseUseless(
  { current, identityOf }: PermitEndpoints,
  space: string,
  { template, to, data = {}, mayAdd }: NewPermit,
): Promise<void> {
  const edition = await current(space);
  const ready = edition?.templates.get(template);
  if (ready === undefined)
    throw new Refusal(422, 'unknown-template', 'There is no such template', {
      detail: `The edition in use has no template "${template}".`,
      hint: didYouMean(template, edition?.templates.keys() ?? []),
    });
  const added = mayAdd === undefined ? [] : additionCheck(mayAdd).fields;
  const both = added.find((field) => Object.hasOwn(data, field));
  if (both !== undefined) throw invalid([{ path: `mayAdd.properties.${both}`, message: 'is fixed by data' }]);
  const faults = ready.files
    .checkData(data)
    .filter(({ path }) => !added.includes(path.split(/[.[]/)[0] ?? ''))
    .map(({ path, message, hint }) => ({ path: `data${path === '' ? '' : '.'}${path}`, message, hint }));
  if (faults.length > 0) throw invalid(faults);
  const { masking } = ready.files;
  if (masking !== undefined && !isDeepStrictEqual(masking.shown(data), data))
    throw new Refusal(422, 'sensitive-permit', 'Sensitive data cannot be fixed in a permit', {
      detail: 'A permit cannot be changed.',
      hint: 'Leave them out here, and let the request bring them: mayAdd.',
    });
  if (to === 'identity' && identityOf(space) === undefined)
    throw new Refusal(422, 'no-identity', 'This space does not say whose tokens prove who is signed in', {
      hint: `Set spaces.${space}.browser.identity in the configuration.`,
    });
}

const add = endpoint({
  name: 'permits.add',
  method: 'post',
  path: '/v1/permits',
  summary: 'Let a browser ask for an email',
  description: 'What it can ask for is fixed here: the template, the recipients, the data but for what it may add, how often and how long.',
  scope: 'send',
  audited: 'people',
  body: jsonBody(NewPermit),
  answers: { 201: json('The permit; it is shown this once.', PermitMade) },
  refusals: { 422: 'It could never be used.' },
  async run({ caller: { space, key }, body }, deps) {
    const { store, clock } = deps;
    await refuseUseless(deps, space, body);
    const { times, minutes, to, ...rest } = body;
    const now = clock.now();
    const id = newId('x', now);
    const permit = `${id}.${randomBytes(SECRET_BYTES).toString('base64url')}`;
    const common: PermitCommon = { ...rest, ...(to === 'identity' ? {} : { to }) };
    const row: PermitRow = {
      id,
      space,
      hash: hashOf(permit),
      common,
      keyId: key?.id ?? null,
      times,
      used: 0,
      createdAt: now,
      expiresAt: now + minutes * 60_000,
      revokedAt: null,
    };
    await store.write((tx) => {
      store.permits.add(tx, row);
    });
    return new Reply({ ...view(row, now), permit }, { status: 201 });
  },
});

const list = endpoint({
  name: 'permits.list',
  method: 'get',
  path: '/v1/permits',
  summary: 'Permits, newest first',
  scope: 'read',
  query: PermitQuery,
  answers: { 200: json('A page.', PermitList) },
  run({ caller: { space }, query: { limit, cursor } }, { store, clock }) {
    const page = pageOf(store.permits.list(space, limit + 1, cursor), limit, ({ id }) => id);
    return { permits: page.rows.map((row) => view(row, clock.now())), nextCursor: page.nextCursor };
  },
});

const revoke = endpoint({
  name: 'permits.revoke',
  method: 'delete',
  path: '/v1/permits/{id}',
  summary: 'Revoke a permit',
  scope: 'send',
  params: textParams('id'),
  answers: { 204: empty('It can no longer be used.') },
  refusals: { 404: 'There is no such permit.' },
  async run({ caller: { space }, params: { id } }, { store, clock }) {
    if (store.permits.find(id)?.space !== space)
      throw new Refusal(404, 'unknown-permit', 'There is no such permit', { detail: `There is no "${id}" in the space "${space}".` });
    await store.write((tx) => {
      store.permits.revoke(tx, space, id, clock.now());
    });
    return undefined;
  },
});

const gone = (detail: string): Refusal => new Refusal(403, 'permit-ended', 'This permit can no longer be used', { detail });
const ENDED = { used: 'It was used as often as it allows.', expired: 'It has expired.', revoked: 'It was revoked.' } as const;

/** The permit that a browser shows. @throws Refusal */
function shown({ store }: PermitEndpoints, permit: string): PermitRow {
  const row = store.permits.find(permit.split('.')[0] ?? '');
  if (row === undefined || !timingSafeEqual(Buffer.from(hashOf(permit)), Buffer.from(row.hash)))
    throw new Refusal(401, 'permit-not-valid', 'This is not a permit');
  return row;
}

/** @throws Refusal where a permit has ended */
function refuseEnded({ clock }: PermitEndpoints, row: PermitRow): void {
  const state = stateOf(row, clock.now());
  if (state !== 'open') throw gone(ENDED[state]);
}

/** The key that a permit was made with: what it may not send, a permit of it may not. @throws Refusal when it has ended */
function keyOf({ store, clock }: PermitEndpoints, { space, keyId }: PermitRow): CallerKey | undefined {
  if (keyId === null) return undefined;
  const key = store.access.keyById(space, keyId);
  if (key?.revokedAt !== null || (key.expiresAt ?? Infinity) <= clock.now()) throw gone('The key that it was made with has ended.');
  return callerKey(key);
}

/** The data of a message: what is fixed, and what the browser may add and has added. @throws Refusal */
function dataOf({ data: fixed, mayAdd }: PermitCommon, added: Readonly<Record<string, unknown>> | undefined): Record<string, unknown> {
  const { fields, check } = mayAdd === undefined ? { fields: [], check: () => [] } : additionCheck(mayAdd);
  const unknown = Object.keys(added ?? {}).filter((field) => !fields.includes(field));
  const faults = unknown.length > 0 ? unknown.map((path) => ({ path, message: 'cannot be added with this permit' })) : check(added ?? {});
  if (faults.length > 0) throw invalid(faults.map(({ path, message }) => ({ path: `data${path === '' ? '' : '.'}${path}`, message })));
  return { ...added, ...fixed };
}

async function recipientsOf(
  { identityOf }: PermitEndpoints,
  { space, common }: PermitRow,
  token: string | undefined,
): Promise<NonNullable<PermitCommon['to']>> {
  if (common.to !== undefined) {
    if (token === undefined) return common.to;
    throw invalid([{ path: 'identity', message: 'is not wanted: this permit names its recipients' }]);
  }
  const read = identityOf(space);
  if (read === undefined) throw new Refusal(403, 'no-identity', 'This space does not say whose tokens prove who is signed in');
  if (token === undefined) throw invalid([{ path: 'identity', message: 'is missing: this permit is for who is signed in' }]);
  return [await read(token)];
}

const send = endpoint({
  name: 'permits.send',
  method: 'post',
  path: '/v1/permitted-messages',
  summary: 'Ask for an email with a permit',
  description: 'For browsers: the permit takes the place of the key. With an Idempotency-Key, the same request again is the same email.',
  scope: 'open',
  headers: IdempotencyHeader,
  body: smallJsonBody(PermittedMessage, MOST_BYTES),
  answers: { 202: json('It is accepted.', PermittedTaken) },
  refusals: {
    401: 'This is not a permit, or not a token of who is signed in.',
    403: 'The permit has ended, or this page may not use it.',
    413: 'The request is too large.',
    422: 'What is to be added does not fit.',
    503: 'The keys of the issuer cannot be read now.',
  },
  async run({ body, headers, request }, deps) {
    const { store, clock, accept } = deps;
    const row = shown(deps, body.permit);
    const { origin } = request.headers;
    if (origin !== undefined && !deps.isOriginOf(row.space, origin))
      throw new Refusal(403, 'origin-not-allowed', 'Pages of this origin may not ask for emails', {
        detail: `${origin} is not among the origins of the space.`,
      });
    const given = idempotencyKeyOf(headers);
    const idempotencyKey = given === undefined ? undefined : `permit:${row.id}:${given}`;
    const earlier = idempotencyKey === undefined ? undefined : store.messages.underKey(row.space, `${idempotencyKey}#0`);
    if (earlier === undefined) refuseEnded(deps, row);
    const { template, locale, timeZone, reference, labels } = row.common;
    const key = keyOf(deps, row);
    const wanted = {
      template,
      locale,
      timeZone,
      reference,
      labels,
      to: [...(await recipientsOf(deps, row, body.identity))],
      data: dataOf(row.common, body.data),
    };
    const [result] = await accept.batch(row.space, [wanted], {
      mode: 'all',
      key,
      idempotencyKey,
      also: (tx, taken) => {
        // Another request may have used it meanwhile, or a person revoked it.
        if (taken.size > 0 && !store.permits.use(tx, row.id, clock.now())) {
          const now = store.permits.find(row.id, tx);
          if (now !== undefined) refuseEnded(deps, now);
          throw gone(ENDED.used);
        }
      },
    });
    if (result === undefined) throw new Error('One request has one result.');
    if ('problems' in result) throw invalid(result.problems);
    const { times, used } = store.permits.find(row.id) ?? row;
    return new Reply({ id: result.message.id, left: Math.max(0, times - used) }, { status: 202 });
  },
});

/** Emails that a browser may ask for. */
export const permitEndpoints = [add, list, revoke, send];
