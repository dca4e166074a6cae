import { relative } from 'node:path';
import type { Client } from '@verbalis/client';
import { explain, type ReadConfig } from '@verbalis/service/settings';
import { tableText, type ExitCode, type Output } from '../output.js';

/** A setting that has changed. */
interface Changed {
  readonly path: string;
  readonly from?: string | undefined;
  readonly to?: string | undefined;
}

/** What a reload has changed, a line each. */
export function reloadText(changed: readonly Changed[]): string {
  if (changed.length === 0) return 'Nothing has changed in the configuration.';
  const lines = changed.map(({ path, from, to }) => `  ${path}: ${from ?? '(nothing)'} → ${to ?? '(nothing)'}`);
  return [
    `The configuration was reloaded: ${changed.length} ${changed.length === 1 ? 'setting has' : 'settings have'} changed.`,
    ...lines,
  ].join('\n');
}

/** Why a reload was refused, with all faults. */
export function errorText(error: unknown): string {
  const { message, more } = error as Error & {
    readonly more?: { readonly detail?: string; readonly problems?: readonly { path: string; message: string; hint?: string }[] };
  };
  const lines = (more?.problems ?? []).map(({ path, message: what, hint = '' }) => `  ${path}: ${what} ${hint}`.trimEnd());
  return [`${message}. ${more?.detail ?? ''}`.trim(), ...lines].join('\n');
}

/** Lets a service read its configuration again. */
export async function reload(client: Client, { json = false }: { json?: boolean }, output: Output): Promise<ExitCode> {
  const result = await client.configuration.reload();
  output.out(json ? JSON.stringify(result, null, 2) : reloadText(result.changed));
  return 0;
}

/** Says whether a configuration is right: reading it finds every fault. */
export function checkConfig(read: () => ReadConfig, output: Output): ExitCode {
  let settings: ReadConfig['settings'];
  try {
    ({ settings } = read());
  } catch (error) {
    if (!(error instanceof Error) || error.name !== 'StartError') throw error;
    output.note(`${output.color.red('✗')} ${error.message}`);
    return 1;
  }
  const profiles = Object.values(settings.providers).filter(({ kind }) => kind === 'http').length;
  const count = (n: number, what: string): string => `${n} ${what}${n === 1 ? '' : 's'}`;
  const parts = [
    count(Object.keys(settings.spaces).length, 'space'),
    count(Object.keys(settings.providers).length, 'provider'),
    count(profiles, 'profile'),
  ];
  output.out(`${output.color.green('✓')} The configuration is right: ${parts.join(', ')}.`);
  return 0;
}

/** Prints each setting that is in force, with where it came from. */
export function explainConfig(config: ReadConfig, { json = false }: { json?: boolean }, output: Output): ExitCode {
  const settings = explain(config);
  if (json) output.out(JSON.stringify({ settings }, null, 2));
  else {
    const origin = (from: string | undefined): string => {
      if (from === undefined) return output.color.dim('(usual)');
      const near = relative(process.cwd(), from);
      return from.startsWith('/') && !near.startsWith('..') ? near : from;
    };
    const columns = [{ title: 'setting' }, { title: 'value' }, { title: 'from' }];
    const short = (value: string): string => (value.length > 60 ? `${value.slice(0, 59)}…` : value);
    output.out(
      tableText(
        columns,
        settings.map((setting) => [setting.path, short(setting.value), origin(setting.origin)]),
        output.color,
      ),
    );
  }
  return 0;
}
