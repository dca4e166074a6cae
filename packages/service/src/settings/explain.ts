import type { Settings } from './schema.js';
import type { ReadConfig } from './read.js';
import { isRecord } from './expand.js';

/** One setting that is in force. */
export interface SettingView {
  /** "providers.north-relay.port" */
  readonly path: string;
  /** As JSON; secrets masked. */
  readonly value: string;
  /** The file or the variable that it came from; undefined for what is usual. */
  readonly origin: string | undefined;
}

/** A setting that differs between two configurations. */
export interface SettingChange {
  readonly path: string;
  /** As JSON, secrets masked; undefined where there is none. */
  readonly from: string | undefined;
  readonly to: string | undefined;
}

/** Names of settings whose values are shown to nobody. */
const SECRET =
  /(?:^|\.)(?:password|token|secret|clientSecret|secrets(?:\.[^.]+)?|(?:authorisation|callbacks\.signature)(?:\.steps\.\d+)?\.(?:value|key))$/;

/** What a secret is shown as. */
const MASK = '"…"';

function leaves(value: unknown, path: string, out: Map<string, unknown>): Map<string, unknown> {
  if (Array.isArray(value)) value.forEach((inner: unknown, i) => leaves(inner, `${path}.${i}`, out));
  else if (isRecord(value)) for (const [key, inner] of Object.entries(value)) leaves(inner, path === '' ? key : `${path}.${key}`, out);
  if (!(Array.isArray(value) || isRecord(value)) || Object.keys(value).length === 0) out.set(path, value);
  return out;
}

function shown(path: string, value: unknown): string {
  return SECRET.test(path) && typeof value === 'string' && value !== '' ? MASK : JSON.stringify(value);
}

/** Every setting that is in force, with where it came from. */
export function explain({ settings, origins }: ReadConfig): SettingView[] {
  const origin = (path: string): string | undefined => {
    // A list has one origin, whatever is in it.
    for (let at = path; at !== ''; at = at.slice(0, Math.max(0, at.lastIndexOf('.')))) {
      const found = origins.get(at);
      if (found !== undefined) return found;
    }
    return undefined;
  };
  return [...leaves(settings, '', new Map())]
    .filter(([, value]) => value !== undefined)
    .map(([path, value]) => ({ path, value: shown(path, value), origin: origin(path) }));
}

/** What differs between two configurations, in the order of the new one. */
export function differences(old: Settings, next: Settings): SettingChange[] {
  const [before, after] = [leaves(old, '', new Map()), leaves(next, '', new Map())];
  return [...new Set([...after.keys(), ...before.keys()])].flatMap((path): SettingChange[] => {
    const [from, to] = [before.get(path), after.get(path)];
    if (JSON.stringify(from) === JSON.stringify(to)) return [];
    return [{ path, from: from === undefined ? undefined : shown(path, from), to: to === undefined ? undefined : shown(path, to) }];
  });
}
