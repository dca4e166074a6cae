import type { ProviderRouter } from '@verbalis/core/delivery';
import { isFault, parseAddress } from '@verbalis/core/mime';
import { didYouMean } from '@verbalis/core/problems';

import { endpointsOf, instant, invalid, json, optionalJsonBody, Refusal, textParams, type Clock } from '../../kernel/index.js';
import { ProviderList, ProviderPaused, ProviderReport, ProviderTest, ProviderTrial, ProviderTry } from './model.js';
import type { ProviderProbe, TestJobs } from './probe.js';
import type { Job, Provider } from './provider.js';
import type { Store } from './store.js';
import { SOMEBODY, triedAnswer, triedCall, triedRequest, type TriedProvider } from './trying.js';

export interface ProviderEndpoints {
  readonly clock: Clock;
  readonly store: Store;
  readonly router: ProviderRouter;
  readonly providers: ReadonlyMap<string, Provider>;
  /** The providers of a space, by name. */
  readonly routeOf: (space: string) => readonly string[];
  /** Hands one email to a provider at once, outside of the queue. */
  readonly probe: ProviderProbe;
  readonly jobs: TestJobs;
  /** The email to one recipient of a message; undefined where there is no such message. */
  readonly jobOf: (space: string, messageId: string) => Promise<Job | undefined>;
  /** Called when something may be due. */
  readonly wake: () => void;
}

const endpoint = endpointsOf<ProviderEndpoints>();

function found(providers: ProviderEndpoints['providers'], name: string): Provider {
  const provider = providers.get(name);
  if (provider !== undefined) return provider;
  throw new Refusal(404, 'unknown-provider', 'There is no such provider', {
    detail: `No provider "${name}" is configured.`,
    hint: didYouMean(name, providers.keys()),
  });
}

const list = endpoint({
  name: 'providers.list',
  method: 'get',
  path: '/v1/providers',
  summary: 'Providers that are configured, with their state',
  description: 'A key sees those that its space sends through, without where they are and what others have under way there.',
  scope: 'read',
  isForService: true,
  answers: { 200: json('All of them.', ProviderList) },
  run({ caller }, { clock, store, router, providers, routeOf }) {
    const seen = caller.operator ? [...providers.values()] : routeOf(caller.space).flatMap((name) => providers.get(name) ?? []);
    const [now, elapsed] = [clock.now(), clock.elapsed()];
    const date = (at: number | undefined): string | undefined => (at === undefined ? undefined : instant(Math.round(now + at - elapsed)));
    router.pause(store.providers.paused());
    return {
      providers: seen.map(({ name, kind, where }) => {
        const { state, underWay, why, since, until } = router.stateOf(name, elapsed);
        const beyond = caller.operator ? { where, underWay } : {};
        return { name, kind, state, why, since: date(since), until: date(until), ...beyond };
      }),
    };
  },
});

async function setPaused(
  { store, router, providers, wake }: ProviderEndpoints,
  given: string,
  { isPaused }: { readonly isPaused: boolean },
) {
  const { name } = found(providers, given);
  await store.write((tx) => {
    store.providers.setPaused(tx, name, { paused: isPaused });
    tx.afterCommit(() => {
      router.pause(store.providers.paused());
      wake();
    });
  });
  return { name, paused: isPaused };
}

const pause = endpoint({
  name: 'providers.pause',
  method: 'post',
  path: '/v1/providers/{name}/pause',
  summary: 'Send nothing through a provider until it is resumed',
  scope: 'operator',
  isForService: true,
  params: textParams('name'),
  answers: { 200: json('Its state.', ProviderPaused) },
  isRepeatable: true,
  run: ({ params: { name } }, deps) => setPaused(deps, name, { isPaused: true }),
});

const resume = endpoint({
  name: 'providers.resume',
  method: 'post',
  path: '/v1/providers/{name}/resume',
  summary: 'Send through a provider again',
  scope: 'operator',
  isForService: true,
  params: textParams('name'),
  answers: { 200: json('Its state.', ProviderPaused) },
  isRepeatable: true,
  run: ({ params: { name } }, deps) => setPaused(deps, name, { isPaused: false }),
});

const test = endpoint({
  name: 'providers.test',
  method: 'post',
  path: '/v1/providers/{name}/test',
  summary: 'Test a provider step by step',
  description: 'With `to`, a test email is sent when the steps before went well.',
  scope: 'operator',
  params: textParams('name'),
  body: optionalJsonBody(ProviderTest),
  answers: { 200: json('What each step found.', ProviderReport) },
  async run({ caller: { space }, params, body: { to } }, { providers, probe }) {
    const provider = found(providers, params.name);
    const findings = await provider.examine();
    let ok = findings.every((finding) => finding.ok);
    if (ok && to !== undefined) {
      const address = parseAddress(to);
      if (isFault(address)) throw invalid([{ path: 'to', message: address.fault, hint: address.hint }]);
      const from = performance.now();
      const outcome = await probe(provider, space, to);
      ok = outcome.kind === 'accepted';
      findings.push({ step: 'mail', ok, milliseconds: Math.round(performance.now() - from), detail: outcome.detail });
    }
    const { name, kind, where } = provider;
    return { name, kind, where, ok, findings };
  },
});

const trial = endpoint({
  name: 'providers.try',
  method: 'post',
  path: '/v1/providers/{name}/try',
  summary: 'See what a profile makes of an email, an answer or a call',
  description: 'Nothing is sent. Without `answer` and `call`, the request for an email is shown, secrets masked.',
  scope: 'operator',
  params: textParams('name'),
  body: optionalJsonBody(ProviderTry),
  answers: { 200: json('What it makes of them.', ProviderTrial) },
  refusals: { 404: 'There is no such provider or message.', 422: 'The provider has no profile, or it cannot make a request of the email.' },
  isRepeatable: true,
  async run({ caller: { space }, params, body }, deps) {
    const provider = found(deps.providers, params.name);
    if (provider.trial === undefined)
      throw new Refusal(422, 'no-profile', 'This provider is not described by a profile', {
        detail: `${provider.name} is of the kind ${provider.kind}.`,
        hint: `verbalis providers test ${provider.name} tests it step by step.`,
      });
    const tried: TriedProvider = { trial: provider.trial };
    const now = deps.clock.now();
    const { answer, call, to = SOMEBODY } = body;
    const isRequest = answer === undefined && call === undefined;
    return {
      request: isRequest ? await triedRequest(tried, body, space, { ...deps, provider }) : undefined,
      answer: answer === undefined ? undefined : triedAnswer(tried, answer, to, now),
      call: call === undefined ? undefined : triedCall(tried, call, now),
    };
  },
});

/** Providers: what there is, and whether each works. */
export const providerEndpoints = [list, pause, resume, test, trial];
