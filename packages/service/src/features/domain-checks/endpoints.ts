import { empty, endpointsOf, instant, json, jsonBody, optionalJsonBody, pageOf, textParams } from '../../kernel/index.js';
import { domainName, found, seenBy, viewOf, type DomainEndpoints } from './lookup.js';
import { DomainChange, DomainList, DomainLog, DomainLogQuery, DomainShare, DomainView, NewDomain, SharedPage } from './model.js';
import { testEmailEndpoints } from './verification-endpoints.js';

const endpoint = endpointsOf<DomainEndpoints>();

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
  description: 'A domain that is there keeps its keys. It is checked immediately, and then every minute until all records are right.',
  scope: 'operator',
  isForService: true,
  body: jsonBody(NewDomain),
  answers: { 201: json('The records to publish in the DNS.', DomainView) },
  refusals: { 409: 'The host is used by another domain.' },
  isRepeatable: true,
  async run({ caller, body: { name, returnHost, linkHost, ...more } }, deps) {
    const domain = domainName(name, 'name');
    const host = returnHost === undefined ? undefined : domainName(returnHost, 'returnHost');
    const links = linkHost === undefined || linkHost === null ? linkHost : domainName(linkHost, 'linkHost');
    if (await deps.domains.add({ name: domain, returnHost: host, linkHost: links, ...more })) deps.checks.changed();
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
  summary: 'Change the return host, the host of links or the DMARC policy that is wanted',
  description:
    'What comes back to the old return host is accepted for 30 days; links to an old host of links work for as long as it leads here.',
  scope: 'operator',
  isForService: true,
  params: textParams('name'),
  body: jsonBody(DomainChange),
  answers: { 200: json('The domain.', DomainView) },
  refusals: { 409: 'The host is used by another domain.' },
  isRepeatable: true,
  async run({ caller, params: { name }, body: { returnHost, linkHost, policy } }, deps) {
    const domain = await found(caller, name, deps);
    const host = returnHost === undefined ? undefined : domainName(returnHost, 'returnHost');
    const links = linkHost === undefined || linkHost === null ? linkHost : domainName(linkHost, 'linkHost');
    await deps.domains.change(domain.name, { returnHost: host, linkHost: links, policy });
    await deps.checks.checkAnew(domain.name);
    return viewOf(await found(caller, name, deps), deps);
  },
});

const remove = endpoint({
  name: 'domains.remove',
  method: 'delete',
  path: '/v1/domains/{name}',
  summary: 'Remove a domain with its keys',
  description: 'Its email is no longer signed. Returns to its return host are accepted for 30 days.',
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
  summary: 'A page with the records for the owner of the DNS: no sign-in, read-only, for some days',
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

const unshare = endpoint({
  name: 'domains.unshare',
  method: 'delete',
  path: '/v1/domains/{name}/share',
  summary: 'End all pages that show the domain without a sign-in',
  scope: 'operator',
  isForService: true,
  params: textParams('name'),
  answers: { 204: empty('They show nothing any more.') },
  async run({ caller, params: { name } }, deps) {
    const domain = await found(caller, name, deps);
    await deps.domains.endSharedPages(domain.name);
    return undefined;
  },
});

/** Sending domains: added, checked, shared, rotated, verified. */
export const domainEndpoints = [list, add, get, change, remove, check, rotate, log, share, unshare, ...testEmailEndpoints];
