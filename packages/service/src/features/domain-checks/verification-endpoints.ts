import { outcomeOf } from '../messages/index.js';
import { endpointsOf, instant, json, optionalJsonBody, Refusal, textParams } from '../../kernel/index.js';
import type * as z from 'zod';
import { found, type DomainEndpoints } from './lookup.js';
import { VerificationView, VerifyRequest } from './model.js';
import type { VerificationRow } from './queries.js';
import type { Store } from './store.js';

const endpoint = endpointsOf<DomainEndpoints>();

function verificationView(
  { domain, space, messageId, startedAt, arrivedAt, results }: VerificationRow,
  store: Store,
): z.input<typeof VerificationView> {
  const outcome = outcomeOf(store, messageId);
  return {
    domain,
    space,
    messageId,
    state: arrivedAt !== null ? 'arrived' : outcome?.hasFailed === true ? 'failed' : 'under-way',
    delivery: outcome?.delivery,
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

/** Test emails to ourselves, and their outcomes. */
export const testEmailEndpoints = [verify, verification];
