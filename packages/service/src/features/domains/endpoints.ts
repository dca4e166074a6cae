import { zoneLine } from '@verbalis/core/domains';
import { isFault, parseAddress } from '@verbalis/core/mime';
import type { z } from 'zod';
import { endpointsOf, invalid, json, jsonBody, type Clock } from '../../kernel/index.js';
import { DomainList, DomainView, NewDomain } from './model.js';
import type { Signing } from './signing.js';

export interface DomainEndpoints {
  readonly signing: Signing;
  readonly clock: Clock;
  /** Domains that a space sends as. */
  readonly sendersOf: (space: string) => Promise<readonly string[]>;
}

const endpoint = endpointsOf<DomainEndpoints>();

function view(signing: Signing, name: string): z.input<typeof DomainView> {
  return { name, records: signing.records(name).map((record) => ({ type: 'TXT' as const, ...record, zoneLine: zoneLine(record) })) };
}

const list = endpoint({
  name: 'domains.list',
  method: 'get',
  path: '/v1/domains',
  summary: 'Sending domains with their records',
  description: 'A key sees those that its space sends as.',
  scope: 'read',
  isForService: true,
  answers: { 200: json('All of them.', DomainList) },
  async run({ caller }, { signing, sendersOf }) {
    const own = caller.operator ? undefined : new Set(await sendersOf(caller.space));
    const seen = signing.domains().filter((name) => own === undefined || own.has(name));
    return { domains: seen.map((name) => view(signing, name)) };
  },
});

const add = endpoint({
  name: 'domains.add',
  method: 'post',
  path: '/v1/domains',
  summary: 'Make the keys that sign email of a domain',
  description: 'A domain that has keys keeps them.',
  scope: 'operator',
  isForService: true,
  body: jsonBody(NewDomain),
  answers: { 201: json('The records to publish in the DNS.', DomainView) },
  isRepeatable: true,
  async run({ body: { name, algorithms } }, { signing, clock }) {
    const address = parseAddress(`postmaster@${name}`);
    if (isFault(address)) throw invalid([{ path: 'name', message: 'is not a valid domain', hint: 'A domain looks like "host.example".' }]);
    await signing.add(address.domain, clock.now(), algorithms);
    return view(signing, address.domain);
  },
});

/** Sending domains and their keys. */
export const domainEndpoints = [list, add];
