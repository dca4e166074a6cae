import { existsSync, readFileSync } from 'node:fs';
import { dirname, resolve } from 'node:path';
import { readFilter } from '@verbalis/core/events';
import { didYouMean } from '@verbalis/core/problems';
import { parse } from 'yaml';
import * as z from 'zod';
import { StartError, type RequestProblem } from '../kernel/index.js';
import { expandProfiles, isRecord, noteOrigins, profileFaults, readSecretFiles, type Json } from './expand.js';
import { chosen, inWords, unwrap } from './in-words.js';
import { Settings } from './schema.js';

/** All that is wrong with the configuration, at once. */
function configError(file: string, faults: readonly RequestProblem[]): StartError {
  const lines = faults.map(({ path, message, hint }) => `  ${path}: ${message}${hint === undefined ? '' : ` ${hint}`}`);
  return new StartError(`The configuration has errors (${file}):\n${lines.join('\n')}`, { faults });
}

export interface ReadConfig {
  readonly settings: Settings;
  /** Folder that relative paths in the configuration start from. */
  readonly folder: string;
  /** Where each setting that was given came from: the file or a variable. */
  readonly origins: ReadonlyMap<string, string>;
}

/** Variables that speak to the command line, not to the service. */
const NOT_SETTINGS = new Set([
  'VERBALIS_CONFIG',
  'VERBALIS_URL',
  'VERBALIS_KEY',
  'VERBALIS_SPACE',
  'VERBALIS_OPERATOR_SECRET',
  'VERBALIS_BIN',
  'VERBALIS_CI',
]);

/**
 * Reads the configuration: the file, then variables over it.
 * @param env VERBALIS_LISTEN_PORT sets listen.port, VERBALIS_PROVIDERS_NORTH_RELAY_HOST sets providers.north-relay.host
 * @throws StartError that names every fault
 */
export function readConfig(file: string | undefined, env: Readonly<Record<string, string | undefined>>): ReadConfig {
  const path = resolve(file ?? 'verbalis.yaml');
  const faults: RequestProblem[] = [];
  let raw: Json = {};
  if (existsSync(path)) {
    try {
      const parsed: unknown = parse(readFileSync(path, 'utf8'));
      if (isRecord(parsed)) raw = parsed;
      else if (parsed !== null) faults.push({ path: '(file)', message: 'must hold settings as "key: value".' });
    } catch (error) {
      throw configError(path, [{ path: '(file)', message: error instanceof Error ? error.message : String(error) }]);
    }
  } else if (file !== undefined) {
    throw configError(path, [{ path: '(file)', message: 'does not exist.', hint: 'Name another with --config FILE.' }]);
  }
  const origins = new Map<string, string>();
  noteOrigins(raw, '', path, origins);
  const expanding = { raw, folder: dirname(path), origins, faults };
  expandProfiles(expanding);
  applyVariables(raw, env, origins, faults);
  readSecretFiles(expanding);
  const parsed = Settings.safeParse(raw);
  if (!parsed.success) faults.push(...parsed.error.issues.flatMap((issue) => inWords(issue, raw)));
  if (faults.length > 0 || !parsed.success) throw configError(path, faults);
  faults.push(...crossFaults(parsed.data), ...profileFaults(parsed.data, dirname(path)));
  if (faults.length > 0) throw configError(path, faults);
  return { settings: parsed.data, folder: dirname(path), origins };
}

function shout(key: string): string {
  return key
    .replace(/([a-z0-9])([A-Z])/g, '$1_$2')
    .replace(/-/g, '_')
    .toUpperCase();
}

interface Leaf {
  readonly path: readonly string[];
  readonly schema: z.ZodType;
}

/** Every setting that a variable can name: those of the schema, and those of the entries that the file has. */
function leaves(schema: z.ZodType, raw: unknown, path: readonly string[]): Leaf[] {
  const bare = chosen(unwrap(schema), raw);
  if (bare instanceof z.ZodObject) {
    const shape = bare.shape as Record<string, z.ZodType>;
    return Object.entries(shape).flatMap(([key, inner]) => leaves(inner, isRecord(raw) ? raw[key] : undefined, [...path, key]));
  }
  if (bare instanceof z.ZodRecord) {
    return isRecord(raw) ? Object.entries(raw).flatMap(([key, inner]) => leaves(bare.valueType as z.ZodType, inner, [...path, key])) : [];
  }
  return [{ path, schema: bare }];
}

/** Whether a container platform has set it for a service that is called verbalis, or begins so; an address is no value of a setting of ours. */
function isOfPlatform(name: string, value: string, isSetting: boolean): boolean {
  if (/^(?:tcp|udp|sctp):\/\/\S+:\d+$/.test(value)) return true;
  return !isSetting && /_(?:SERVICE_HOST|SERVICE_PORT(?:_[A-Z0-9_]+)?|PORT_\d+_(?:TCP|UDP|SCTP)(?:_(?:PROTO|PORT|ADDR))?)$/.test(name);
}

function applyVariables(
  raw: Json,
  env: Readonly<Record<string, string | undefined>>,
  origins: Map<string, string>,
  faults: RequestProblem[],
): void {
  const known = new Map(leaves(Settings, raw, []).map((leaf) => [`VERBALIS_${leaf.path.map(shout).join('_')}`, leaf]));
  for (const [name, value] of Object.entries(env)) {
    if (!name.startsWith('VERBALIS_') || NOT_SETTINGS.has(name) || value === undefined) continue;
    const leaf = known.get(name);
    if (isOfPlatform(name, value, leaf !== undefined)) continue;
    if (leaf === undefined) {
      const hint = didYouMean(name, known.keys());
      faults.push({ path: name, message: 'names no setting.', ...(hint === undefined ? {} : { hint }) });
      continue;
    }
    let at: Json = raw;
    for (const key of leaf.path.slice(0, -1)) {
      const next = isRecord(at[key]) ? at[key] : {};
      at[key] = next;
      at = next;
    }
    at[leaf.path.at(-1) ?? ''] = typed(value, leaf.schema);
    origins.set(leaf.path.join('.'), name);
  }
}

function typed(value: string, schema: z.ZodType): unknown {
  if (schema instanceof z.ZodNumber) return /^-?\d+(?:\.\d+)?$/.test(value) ? Number(value) : value;
  if (schema instanceof z.ZodBoolean) return value === 'true' ? true : value === 'false' ? false : value;
  if (schema instanceof z.ZodArray) return value.split(',').map((text) => text.trim());
  return value;
}

/** What no single setting shows: names that must exist elsewhere. */
function crossFaults(settings: Settings): RequestProblem[] {
  const providers = Object.keys(settings.providers);
  const profiles = Object.entries(settings.providers).flatMap(([name, provider]): RequestProblem[] => {
    if (provider.kind === 'smtp' && provider.user !== undefined && (provider.password === undefined) === (provider.token === undefined))
      return [{ path: `providers.${name}.user`, message: 'needs either a password or a token.' }];
    return [];
  });
  return [
    ...profiles,
    ...spaceFaults(settings, providers),
    ...submissionFaults(settings),
    ...inboundFaults(settings),
    ...alertFaults(settings),
  ];
}

function alertFaults({ alerts, spaces }: Settings): RequestProblem[] {
  return Object.entries(alerts).flatMap(([name, { where, spaces: named = [] }]): RequestProblem[] => {
    const { fault } = readFilter(where);
    const unknown = named.filter((text) => spaces[text] === undefined);
    return [
      ...(fault === undefined
        ? []
        : [
            {
              path: `alerts.${name}.where`,
              message: `is not a valid filter: ${fault.message.replace(/\.$/, '')} (character ${fault.at + 1})`,
              ...(fault.hint === undefined ? {} : { hint: fault.hint }),
            },
          ]),
      ...unknown.map((text): RequestProblem => {
        const hint = didYouMean(text, Object.keys(spaces));
        return { path: `alerts.${name}.spaces`, message: `names no space: "${text}".`, ...(hint === undefined ? {} : { hint }) };
      }),
    ];
  });
}

/** Addresses of inbound mail belong to spaces that there are; each is listed once. */
function inboundFaults({ inbound, spaces }: Settings): RequestProblem[] {
  const seen = new Set<string>();
  return inbound.addresses.flatMap(({ address, space }, i): RequestProblem[] => {
    const faults: RequestProblem[] = [];
    if (spaces[space] === undefined) {
      const hint = didYouMean(space, Object.keys(spaces));
      faults.push({
        path: `inbound.addresses.${i}.space`,
        message: `names no space: "${space}".`,
        ...(hint === undefined ? {} : { hint }),
      });
    }
    const small = address.toLowerCase();
    if (seen.has(small)) faults.push({ path: `inbound.addresses.${i}.address`, message: `is listed twice: "${address}".` });
    seen.add(small);
    return faults;
  });
}

function submissionFaults({ submission, spaces }: Settings): RequestProblem[] {
  const { openTo } = submission;
  if (openTo === undefined) return [];
  const path = 'submission.openTo';
  const capturing = Object.keys(spaces).filter((name) => spaces[name]?.mode === 'capture');
  const space = spaces[openTo];
  if (space?.mode === 'capture') return [];
  const hint = space === undefined ? didYouMean(openTo, capturing) : 'Name a space with mode: capture.';
  const message = space === undefined ? `names no space: "${openTo}".` : `names "${openTo}", which delivers: sending by it needs a key.`;
  return [{ path, message, ...(hint === undefined ? {} : { hint }) }];
}

function spaceFaults(settings: Settings, providers: readonly string[]): RequestProblem[] {
  return Object.entries(settings.spaces).flatMap(([name, space]) => {
    const faults: RequestProblem[] = space.route
      .map(({ provider }) => provider)
      .filter((text) => !providers.includes(text))
      .map((text) => {
        const hint = didYouMean(text, providers);
        return { path: `spaces.${name}.route`, message: `names no provider: "${text}".`, ...(hint === undefined ? {} : { hint }) };
      });
    if (space.mode === 'deliver' && space.route.length === 0) {
      faults.push({
        path: `spaces.${name}.route`,
        message: 'is empty, but the space delivers.',
        hint: 'Name a provider, or set mode: capture.',
      });
    }
    return faults;
  });
}
