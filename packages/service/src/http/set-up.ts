import { Router } from 'express';
import { isFault, parseAddress } from '@verbalis/core/mime';
import { didYouMean } from '@verbalis/core/problems';
import type { Acceptor } from '../accept/index.js';
import type { Traffic } from '@verbalis/core/delivery';
import type { Clock } from '../kernel/index.js';
import type { Store } from '../store/index.js';
import { OPERATOR_NOTE } from '../editions/index.js';
import type { Provider } from '../providers/index.js';
import { invalid, Refusal } from '../refusal.js';
import type { ProviderTrial } from '../dispatch/index.js';
import type { Signing } from '../signing/index.js';
import { callerOf, needs } from './access.js';
import { parse } from './problem.js';
import { NewDomain, OperatorNote, ProviderTest } from './schemas.js';

export interface SetUpOptions {
  readonly clock: Clock;
  readonly accept: Acceptor;
  readonly store: Store;
  readonly traffic: Traffic;
  readonly signing: Signing;
  readonly providers: ReadonlyMap<string, Provider>;
  /** Hands one mail to a provider at once, outside of the queue. */
  readonly tryProvider: ProviderTrial;
  /** Called when something may be due. */
  readonly wake: () => void;
  /** Whom to tell what needs a person, by space. */
  readonly operators: ReadonlyMap<string, string | undefined>;
}

/** Providers: what there is, and whether each works. */
export function providersRouter({ providers, tryProvider, traffic, store, clock, wake }: SetUpOptions): Router {
  const router = Router();
  const found = (name: string): Provider => {
    const provider = providers.get(name);
    if (provider === undefined)
      throw new Refusal(404, 'unknown-provider', 'There is no such provider', {
        detail: `No provider "${name}" is configured.`,
        hint: didYouMean(name, providers.keys()),
      });
    return provider;
  };
  router.get('/', needs('read'), (_request, response) => {
    const now = clock.now();
    traffic.pause(store.deliveries.paused());
    response.json({
      providers: [...providers.values()].map(({ name, kind, where }) => {
        const { state, until } = traffic.tell(name, now);
        return { name, kind, where, state, until: until === undefined ? undefined : new Date(until).toISOString() };
      }),
    });
  });
  for (const [verb, paused] of [
    ['pause', true],
    ['resume', false],
  ] as const) {
    router.post(`/:name/${verb}`, needs('admin'), async (request, response) => {
      const { name } = found(String(request.params['name']));
      await store.write((tx) => {
        store.deliveries.pause(tx, name, paused);
        tx.afterCommit(() => {
          traffic.pause(store.deliveries.paused());
          wake();
        });
      });
      response.json({ name, paused });
    });
  }
  router.post('/:name/test', needs('admin'), async (request, response) => {
    const provider = found(String(request.params['name']));
    const { to } = parse(ProviderTest, request.body ?? {});
    const findings = await provider.examine();
    let ok = findings.every((one) => one.ok);
    if (ok && to !== undefined) {
      const address = parseAddress(to);
      if (isFault(address)) throw invalid([{ path: 'to', message: address.fault, hint: address.hint }]);
      const from = performance.now();
      const outcome = await tryProvider(provider, callerOf(request).space, to);
      ok = outcome.kind === 'accepted';
      findings.push({ step: 'mail', ok, milliseconds: Math.round(performance.now() - from), detail: outcome.detail });
    }
    response.json({ name: provider.name, kind: provider.kind, where: provider.where, ok, findings });
  });
  return router;
}

/** Sending domains and their keys. */
export function domainsRouter({ signing, clock }: SetUpOptions): Router {
  const router = Router();
  const view = (name: string) => ({ name, records: signing.records(name).map((one) => ({ type: 'TXT' as const, ...one })) });
  router.get('/', needs('read'), (_request, response) => {
    response.json({ domains: signing.domains().map(view) });
  });
  router.post('/', needs('admin'), async (request, response) => {
    const { name, algorithms } = parse(NewDomain, request.body);
    const address = parseAddress(`postmaster@${name}`);
    if (isFault(address)) throw invalid([{ path: 'name', message: 'is no domain', hint: 'A domain looks like "host.example".' }]);
    await signing.add(address.domain, clock.now(), algorithms);
    response.status(201).json(view(address.domain));
  });
  return router;
}

/** One call that tells the operator of a space what needs a person. */
export function operatorNotesRouter({ accept, operators }: SetUpOptions): Router {
  const router = Router();
  router.post('/', needs('send'), async (request, response) => {
    const { subject, text } = parse(OperatorNote, request.body);
    const { space } = callerOf(request);
    const operator = operators.get(space);
    if (operator === undefined)
      throw new Refusal(409, 'no-operator', 'No operator is set', {
        detail: `The space "${space}" names no operator.`,
        hint: 'Set operator: ADDRESS for the space in verbalis.yaml.',
      });
    const lines = text.split(/\r\n|\r|\n/).filter((line) => line.trim() !== '');
    const { message } = await accept.one(
      space,
      { template: OPERATOR_NOTE, to: [operator], data: { subject, space, lines } },
      request.header('idempotency-key'),
      true,
    );
    response.status(202).location(`/v1/messages/${message.id}`).json({ id: message.id });
  });
  return router;
}
