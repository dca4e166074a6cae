import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { checkRecorded, readProfile } from '@verbalis/core/profile';
import { parse } from 'yaml';
import type { RequestProblem } from '../kernel/index.js';
import type { Settings } from './schema.js';

export type Json = Record<string, unknown>;

export function isRecord(value: unknown): value is Json {
  return typeof value === 'object' && value !== null && !Array.isArray(value);
}

/** What the configuration is put together from, before it is looked at as a whole. */
export interface Expanding {
  /** As it is in the file; changed in place. */
  readonly raw: Json;
  /** Folder that relative paths start from. */
  readonly folder: string;
  /** Where each setting came from. */
  readonly origins: Map<string, string>;
  readonly faults: RequestProblem[];
}

/** Notes where the settings below a path come from. */
export function noteOrigins(value: unknown, path: string, from: string, origins: Map<string, string>): void {
  if (isRecord(value))
    for (const [key, inner] of Object.entries(value)) noteOrigins(inner, path === '' ? key : `${path}.${key}`, from, origins);
  else origins.set(path, from);
}

/** Puts what is in the configuration over what is in a profile. */
function over(base: unknown, own: unknown): unknown {
  if (!isRecord(base) || !isRecord(own)) return own ?? base;
  const keys = new Set([...Object.keys(base), ...Object.keys(own)]);
  return Object.fromEntries([...keys].map((key) => [key, over(base[key], own[key])]));
}

function providersOf({ raw }: Expanding): [name: string, provider: Json][] {
  return isRecord(raw['providers']) ? Object.entries(raw['providers']).filter((entry): entry is [string, Json] => isRecord(entry[1])) : [];
}

/** Fills in the profiles that providers name by their folder. */
export function expandProfiles(expanding: Expanding): void {
  const { raw, folder, origins, faults } = expanding;
  for (const [name, provider] of providersOf(expanding)) {
    if (provider['kind'] !== 'http' || typeof provider['profile'] !== 'string') continue;
    const path = `providers.${name}.profile`;
    const file = resolve(folder, provider['profile'], 'profile.yaml');
    if (!existsSync(file)) {
      faults.push({ path, message: `names a folder without profile.yaml: ${file}.` });
      continue;
    }
    try {
      const profile: unknown = parse(readFileSync(file, 'utf8'));
      if (!isRecord(profile)) throw new Error('it must hold settings as "key: value"');
      const own = new Map<string, string>();
      noteOrigins(profile, `providers.${name}`, file, own);
      for (const [setting, from] of own) if (!origins.has(setting)) origins.set(setting, from);
      (raw['providers'] as Json)[name] = over(profile, provider);
    } catch (error) {
      faults.push({ path, message: `cannot be read (${file}): ${error instanceof Error ? error.message : String(error)}.` });
    }
  }
}

/** Settings of a provider that may stand in a file of their own, so that they are in no file that is shared and can be replaced. */
const FILES: readonly (readonly [file: string, setting: string])[] = [
  ['passwordFile', 'password'],
  ['tokenFile', 'token'],
];

/** Reads the secrets that stand in files. A line end at the end of a file is not part of it. */
export function readSecretFiles(expanding: Expanding): void {
  const { raw, folder, origins, faults } = expanding;
  const read = (file: unknown, path: string): string | undefined => {
    if (typeof file !== 'string') return undefined;
    const where = resolve(folder, file);
    try {
      return readFileSync(where, 'utf8').replace(/\r?\n$/, '');
    } catch (error) {
      const { code } = error as NodeJS.ErrnoException;
      faults.push({ path, message: `cannot be read: ${where} (${code ?? String(error)}).` });
      return undefined;
    }
  };
  const fill = (holder: Json, path: string, [fileKey, key]: readonly [string, string]): void => {
    const file = holder[fileKey];
    if (typeof file !== 'string') return;
    if (holder[key] !== undefined) faults.push({ path: `${path}.${fileKey}`, message: `stands beside ${key}.`, hint: 'Keep one of them.' });
    const text = read(file, `${path}.${fileKey}`);
    if (text === undefined) return;
    holder[key] = text;
    origins.set(`${path}.${key}`, file);
  };
  if (isRecord(raw['people']) && isRecord(raw['people']['openid']))
    fill(raw['people']['openid'], 'people.openid', ['clientSecretFile', 'clientSecret']);
  for (const [name, provider] of providersOf(expanding)) {
    const path = `providers.${name}`;
    for (const entry of FILES) fill(provider, path, entry);
    if (isRecord(provider['secretFiles'])) {
      const secrets: Json = isRecord(provider['secrets']) ? provider['secrets'] : {};
      provider['secrets'] = secrets;
      for (const [secret, file] of Object.entries(provider['secretFiles'])) {
        const text = read(file, `${path}.secretFiles.${secret}`);
        if (text === undefined) continue;
        secrets[secret] = text;
        origins.set(`${path}.secrets.${secret}`, String(file));
      }
    }
    const { callbacks } = provider;
    if (isRecord(callbacks) && isRecord(callbacks['signature']))
      fill(callbacks['signature'], `${path}.callbacks.signature`, ['publicKeyFile', 'publicKey']);
  }
}

/** What is wrong with the profiles of a configuration: their names and paths, and what was recorded beside them. */
export function profileFaults({ providers }: Settings, folder: string): RequestProblem[] {
  return Object.entries(providers).flatMap(([name, provider]): RequestProblem[] => {
    if (provider.kind !== 'http') return [];
    const profile = readProfile(provider);
    const faults = profile.faults.map(({ path, ...fault }) => ({ path: `providers.${name}.${path}`, ...fault }));
    if (provider.profile === undefined || faults.length > 0) return faults;
    const examples = resolve(folder, provider.profile, 'examples');
    if (!existsSync(examples)) return [];
    return readdirSync(examples)
      .filter((file) => file.endsWith('.http'))
      .sort()
      .flatMap((file): RequestProblem[] => {
        const fault = checkRecorded(readFileSync(join(examples, file)), provider);
        return fault === undefined
          ? []
          : [{ path: `providers.${name} (${join(provider.profile ?? '', 'examples', file)})`, message: fault }];
      });
  });
}
