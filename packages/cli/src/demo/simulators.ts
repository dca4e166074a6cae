import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import type { ReadConfig } from '@verbalis/service/settings';
import type { Script } from '@verbalis/simulators';
import { UsageError } from '../output.js';
import type { Processes } from './processes.js';

const REPORT_AFTER_MS = 400;

interface SimulatorInput {
  /** Where each simulator's configuration is written. */
  readonly dir: string;
  readonly settings: ReadConfig['settings'];
  readonly script: Script;
}

/** Starts the providers that the demo's configuration names, as simulators. */
export async function startProviders(processes: Processes, { dir, settings, script }: SimulatorInput): Promise<void> {
  const { host, port } = settings.returns;
  const relays = ['north-relay', 'south-relay'].map((name) => {
    const relay = settings.providers[name];
    if (relay?.kind !== 'smtp') throw new UsageError(`The demo’s configuration has no SMTP provider "${name}".`);
    return { kind: 'smtp', name, host: relay.host, port: relay.port, returnsTo: { host, port }, reportAfterMs: REPORT_AFTER_MS, script };
  });
  const apis = APIS.map((api) => [api[0], mailApi(api, settings, script)] as const);
  const all = [...relays.map((relay) => [relay.name, relay] as const), ...apis];
  await Promise.all(all.map(([name, simulator]) => startSimulator(processes, join(dir, `${name}.json`), simulator)));
}

/** The HTTP mail APIs of the demo: the name of the provider, its dialect, and the secret that the simulator knows it by. */
const APIS = [
  ['packet-api', 'parcel', 'token'],
  ['harbour-box', 'slip', 'box'],
] as const;

/** A provider with an HTTP API that calls back. */
function mailApi([name, dialect, secret]: (typeof APIS)[number], settings: ReadConfig['settings'], script: Script) {
  const provider = settings.providers[name];
  if (provider?.kind !== 'http' || provider.callbacks === undefined)
    throw new UsageError(`The demo’s configuration has no provider "${name}" that calls back.`);
  const { hostname, port } = new URL(provider.request.url);
  return {
    kind: 'http',
    dialect,
    host: hostname,
    port: Number(port),
    key: provider.secrets[secret] ?? '',
    callsTo: {
      url: `http://${settings.listen.host}:${settings.listen.port}/v1/callbacks/${name}`,
      secret: provider.secrets['sealing'] ?? '',
      afterMs: REPORT_AFTER_MS,
    },
    script,
  };
}

/** Starts a chat that takes notifications. @returns its address */
export async function startChat(processes: Processes, { dir, port }: { readonly dir: string; readonly port: number }): Promise<string> {
  const chat = await startSimulator(processes, join(dir, 'chat.json'), { kind: 'chat', host: '127.0.0.1', port });
  return `http://127.0.0.1:${Number(chat['port'])}`;
}

function startSimulator(processes: Processes, file: string, config: object): Promise<Record<string, unknown>> {
  writeFileSync(file, JSON.stringify(config));
  return processes.start(fileURLToPath(new URL('simulators-main.js', import.meta.url)), [file]);
}
