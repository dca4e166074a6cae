import type { ServerResponse } from 'node:http';
import { endpointsOf, json } from '../../kernel/index.js';
import { ConfigurationInForce, ConfigurationReloaded } from './model.js';

export interface ConfigurationEndpoints {
  /** Every setting, secrets masked. */
  readonly explain: () => readonly { readonly path: string; readonly value: string; readonly origin: string | undefined }[];
  /** @param except the response that waits for it. @throws Refusal */
  readonly reload: (
    except: ServerResponse,
  ) => Promise<readonly { readonly path: string; readonly from: string | undefined; readonly to: string | undefined }[]>;
}

const endpoint = endpointsOf<ConfigurationEndpoints>();

const show = endpoint({
  name: 'configuration.get',
  method: 'get',
  path: '/v1/configuration',
  summary: 'The settings in force, with where each came from',
  scope: 'operator',
  isForService: true,
  answers: { 200: json('All of them.', ConfigurationInForce) },
  run: (_call, { explain }) => ({ settings: [...explain()] }),
});

const reload = endpoint({
  name: 'configuration.reload',
  method: 'post',
  path: '/v1/configuration/reload',
  summary: 'Read the configuration again',
  description:
    'Everything is checked first; with a fault the old configuration stays in use. What is being handed over ends as it began, and requests wait for a moment.',
  scope: 'operator',
  isForService: true,
  answers: { 200: json('What has changed.', ConfigurationReloaded) },
  refusals: {
    409: 'It is being reloaded already, or the service was not started with a file.',
    422: 'The configuration has errors; `problems` names each. The old one stays in use.',
  },
  isRepeatable: true,
  run: async ({ response }, deps) => ({ changed: [...(await deps.reload(response))] }),
});

/** The configuration of the service. */
export const configurationEndpoints = [show, reload];
