import { isFault, parseAddress } from '@verbalis/core/mime';
import {
  empty,
  endpointsOf,
  instant,
  invalid,
  json,
  jsonBody,
  optionalJsonBody,
  pageOf,
  Refusal,
  textParams,
  type Caller,
  type Clock,
} from '../../kernel/index.js';
import type { Domains, SendingDomain } from '../domains/index.js';
import type { DomainChecks } from './checks.js';
import {
  DomainChange,
  DomainList,
  DomainLog,
  DomainLogQuery,
  DomainShare,
  DomainView,
  NewDomain,
  SharedPage,
  VerificationView,
  VerifyRequest,
} from './model.js';
import type { VerificationRow } from './queries.js';
import type { Verifying } from './verification.js';
import type { z } from 'zod';
import type { Sharing } from './sharing.js';
import type { Store } from './store.js';
import { domainView } from './view.js';

export interface DomainEndpoints {
  readonly store: Store;
  readonly domains: Domains;
  readonly checks: DomainChecks;
  readonly sharing: Sharing;
  readonly verifying: Verifying;
  readonly clock: Clock;
  readonly mailServer: string;
}

const endpoint = endpointsOf<DomainEndpoints>();

async function viewOf(domain: SendingDomain, { store, checks, clock, mailServer }: DomainEndpoints) {
  const spaces = await checks.spaces();
  return domainView(domain, { spaces, mailServer, state: store.domainChecks.state(domain.name), now: clock.now() });
}

/** Domains that a caller may see: an operator all, a key those that its space sends as. */
async function seenBy({ space, operator }: Caller, { domains, checks }: DomainEndpoints): Promise<SendingDomain[]> {
  if (operator) return [...domains.all()];
  const senders = (await checks.spaces()).find(({ name }) => name === space)?.senders ?? [];
  const own = new Set(senders.flatMap((sender) => domains.above(sender)?.name ?? []));
  return domains.all().filter(({ name }) => own.has(name));
}

async function found(caller: Caller, name: string, deps: DomainEndpoints): Promise<SendingDomain> {
  const all = await seenBy(caller, deps);
  const domain = all.find((added) => added.name === name.toLowerCase().replace(/\.$/, ''));
  if (domain !== undefined) return domain;
  const known = all.map((added) => added.name).join(', ');
  throw new Refusal(404, 'unknown-domain', 'There is no such domain', {
    detail: `"${name}" has not been added.`,
    hint: known === '' ? `Add it: verbalis domains add ${name}` : `There are: ${known}.`,
  });
}

/** A domain as the DNS writes it. @throws Refusal */
function domainName(given: string, path: string): string {
  const address = parseAddress(`postmaster@${given.trim().replace(/\.$/, '')}`);
  if (isFault(address) || address.domain.startsWith('[') || !address.domain.includes('.'))
    throw invalid([{ path, message: 'is not a valid domain', hint: 'A domain looks like "host.example".' }]);
  return address.domain.toLowerCase();
}

const list = endpoint({
  name: 'domains.list',
  method: 'get',
  path: '/v1/domains',
  summary: 'Sending domains with their records and how these are',
  description: 'A key sees those that its space sends as.',
  scope: 'read',
  isForService: true,
  answers: { 200: json('All of them.', DomainList) },
  async run({ caller }, deps) {
    return { domains: await Promise.all((await seenBy(caller, deps)).map((domain) => viewOf(domain, deps))) };
  },
});

const add = endpoint({
  name: 'domains.add',
  method: 'post',
  path: '/v1/domains',
  summary: 'Add a domain: make its keys, and list the records to publish',
  description: 'A domain that is there keeps its keys. It is checked at once, and then every minute until all is right.',
  scope: 'operator',
  isForService: true,
  body: jsonBody(NewDomain),
  answers: { 201: json('The records to publish in the DNS.', DomainView) },
  refusals: { 409: 'The return host is used by another domain.' },
  isRepeatable: true,
  async run({ caller, body: { name, returnHost, ...more } }, deps) {
    const domain = domainName(name, 'name');
    const host = returnHost === undefined ? undefined : domainName(returnHost, 'returnHost');
    if (await deps.domains.add({ name: domain, returnHost: host, ...more })) deps.checks.changed();
    return viewOf(await found(caller, domain, deps), deps);
  },
});

const get = endpoint({
  name: 'domains.get',
  method: 'get',
  path: '/v1/domains/{name}',
  summary: 'One domain',
  scope: 'read',
  isForService: true,
  params: textParams('name'),
  answers: { 200: json('The domain.', DomainView) },
  run: async ({ caller, params: { name } }, deps) => viewOf(await found(caller, name, deps), deps),
});

const change = endpoint({
  name: 'domains.change',
  method: 'patch',
  path: '/v1/domains/{name}',
  summary: 'Change the return host or the DMARC policy that is wanted',
  description: 'What comes back to the old return host is accepted for 30 days.',
  scope: 'operator',
  isForService: true,
  params: textParams('name'),
  body: jsonBody(DomainChange),
  answers: { 200: json('The domain.', DomainView) },
  refusals: { 409: 'The return host is used by another domain.' },
  isRepeatable: true,
  async run({ caller, params: { name }, body: { returnHost, policy } }, deps) {
    const domain = await found(caller, name, deps);
    const host = returnHost === undefined ? undefined : domainName(returnHost, 'returnHost');
    await deps.domains.change(domain.name, { returnHost: host, policy });
    await deps.checks.checkAnew(domain.name);
    return viewOf(await found(caller, name, deps), deps);
  },
});

const remove = endpoint({
  name: 'domains.remove',
  method: 'delete',
  path: '/v1/domains/{name}',
  summary: 'Remove a domain with its keys',
  description: 'Its email is no longer signed. What comes back to its return host is accepted for 30 days.',
  scope: 'operator',
  isForService: true,
  params: textParams('name'),
  answers: { 204: empty('It is gone.') },
  async run({ caller, params: { name } }, deps) {
    const domain = await found(caller, name, deps);
    await deps.domains.remove(domain.name, (tx) => {
      deps.store.domainChecks.remove(tx, domain.name);
    });
    return undefined;
  },
});

const check = endpoint({
  name: 'domains.check',
  method: 'post',
  path: '/v1/domains/{name}/check',
  summary: 'Ask the name servers now',
  scope: 'operator',
  isForService: true,
  params: textParams('name'),
  answers: { 200: json('The domain as it was found.', DomainView) },
  isRepeatable: true,
  async run({ caller, params: { name } }, deps) {
    const domain = await found(caller, name, deps);
    await deps.checks.check(domain.name);
    return viewOf(await found(caller, name, deps), deps);
  },
});

const rotate = endpoint({
  name: 'domains.rotate',
  method: 'post',
  path: '/v1/domains/{name}/rotate',
  summary: 'Make new keys, which take over when they are published',
  description: 'Until then the old ones sign. Keys that wait to be published are not replaced.',
  scope: 'operator',
  isForService: true,
  params: textParams('name'),
  answers: { 200: json('The domain with the records of the new keys.', DomainView) },
  isRepeatable: true,
  async run({ caller, params: { name } }, deps) {
    const domain = await found(caller, name, deps);
    await deps.domains.rotate(domain.name);
    await deps.checks.checkAnew(domain.name);
    return viewOf(await found(caller, name, deps), deps);
  },
});

const log = endpoint({
  name: 'domains.checks',
  method: 'get',
  path: '/v1/domains/{name}/checks',
  summary: 'The checks of the last 90 days with what each name server answered, newest first',
  scope: 'read',
  isForService: true,
  params: textParams('name'),
  query: DomainLogQuery,
  answers: { 200: json('A page.', DomainLog) },
  async run({ caller, params: { name }, query: { limit, cursor } }, deps) {
    const domain = await found(caller, name, deps);
    const rows = deps.store.domainChecks.log({ domain: domain.name, limit: limit + 1, before: cursor });
    const page = pageOf(rows, limit, (row) => row.id);
    return {
      checks: page.rows.map(({ id, firstAt, lastAt, times, state, records, answers }) => ({
        id,
        firstAt: instant(firstAt),
        lastAt: instant(lastAt),
        times,
        state,
        records: records.map(({ type, name: at, state: own, findings }) => ({ type, name: at, state: own, findings: [...findings] })),
        answers: [...answers],
      })),
      nextCursor: page.nextCursor,
    };
  },
});

const share = endpoint({
  name: 'domains.share',
  method: 'post',
  path: '/v1/domains/{name}/share',
  summary: 'A page with the records, for whoever owns the DNS: no sign-in, read-only, for some days',
  scope: 'operator',
  isForService: true,
  params: textParams('name'),
  body: optionalJsonBody(DomainShare),
  answers: { 200: json('Its address.', SharedPage) },
  isRepeatable: true,
  async run({ caller, params: { name }, body, request }, deps) {
    const domain = await found(caller, name, deps);
    const { url, expiresAt } = deps.sharing.share(domain, body.days, `${request.protocol}://${request.get('host') ?? ''}`);
    return { url, expiresAt: instant(expiresAt) };
  },
});

function verificationView(
  { domain, space, messageId, startedAt, arrivedAt, results }: VerificationRow,
  store: Store,
): z.input<typeof VerificationView> {
  const [delivery] = store.messages.deliveriesOf([messageId]);
  const attempt = delivery === undefined ? undefined : store.deliveries.attempts(delivery.id).at(-1);
  const hasFailed = delivery !== undefined && ['failed', 'withheld', 'expired', 'canceled'].includes(delivery.state);
  return {
    domain,
    space,
    messageId,
    state: arrivedAt !== null ? 'arrived' : hasFailed ? 'failed' : 'under-way',
    delivery: delivery === undefined ? undefined : { state: delivery.state, diagnostic: attempt?.diagnostic ?? undefined },
    startedAt: instant(startedAt),
    arrivedAt: arrivedAt === null ? undefined : instant(arrivedAt),
    results: results.map((result) => ({ ...result })),
  };
}

const verify = endpoint({
  name: 'domains.verify',
  method: 'post',
  path: '/v1/domains/{name}/verify',
  summary: 'Send a test email through the route of a space to ourselves, to be judged as a receiver would',
  description: 'It arrives at the listener of return paths; ask for the outcome until it has.',
  scope: 'operator',
  isForService: true,
  params: textParams('name'),
  body: optionalJsonBody(VerifyRequest),
  answers: { 202: json('It is under way.', VerificationView) },
  refusals: { 409: 'No space that delivers sends as the domain.' },
  async run({ caller, params: { name }, body }, deps) {
    const domain = await found(caller, name, deps);
    return verificationView(await deps.verifying.start(domain, body.space), deps.store);
  },
});

const verification = endpoint({
  name: 'domains.verification',
  method: 'get',
  path: '/v1/domains/{name}/verify',
  summary: 'The outcome of the last test email',
  scope: 'read',
  isForService: true,
  params: textParams('name'),
  answers: { 200: json('The outcome.', VerificationView) },
  async run({ caller, params: { name } }, deps) {
    const domain = await found(caller, name, deps);
    const row = deps.store.domainChecks.lastVerification(domain.name);
    if (row === undefined)
      throw new Refusal(404, 'not-verified', 'No test email was sent', { hint: `Send one: verbalis domains verify ${domain.name}` });
    return verificationView(row, deps.store);
  },
});

/** Sending domains: added, checked, shared, rotated, verified. */
export const domainEndpoints = [list, add, get, change, remove, check, rotate, log, share, verify, verification];
