import { relative, resolve } from 'node:path';
import type { Client } from '@verbalis/client';
import { linkFolder } from '@verbalis/core/folder';
import { compileFolder } from '@verbalis/core/program';
import { readMailFolder } from '@verbalis/service/mail-folder';
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
export async function reload(client: Client, output: Output): Promise<ExitCode> {
  const result = await client.configuration.reload();
  output.result(result, reloadText(result.changed));
  return 0;
}

/** What is wrong with the mail folders of spaces, a sentence each. */
async function mailFolderFaults({ settings, folder }: ReadConfig): Promise<string[]> {
  const faults: string[] = [];
  for (const [name, { mailFolder }] of Object.entries(settings.spaces)) {
    if (mailFolder === undefined) continue;
    const path = resolve(folder, mailFolder);
    try {
      const { problems } = compileFolder(linkFolder(await readMailFolder(path)));
      const errors = problems.filter(({ severity }) => severity === 'error').length;
      if (errors > 0) faults.push(`spaces.${name}.mailFolder: ${errors} errors in ${path}. See: verbalis check ${path}`);
    } catch (error) {
      if (!(error instanceof Error) || error.name !== 'StartError') throw error;
      faults.push(`spaces.${name}.mailFolder: ${error.message}`);
    }
  }
  return faults;
}

/** Checks a configuration and the mail folders that it names. Exits with 1 if they have an error. */
export async function checkConfig(read: () => ReadConfig, output: Output): Promise<ExitCode> {
  const failed = (error: string, problems: readonly unknown[]): ExitCode => {
    if (output.isForMachines) output.json({ correct: false, error, problems });
    else output.note(`${output.color.red('✗')} ${error}`);
    return 1;
  };
  let config: ReadConfig;
  try {
    config = read();
  } catch (error) {
    if (!(error instanceof Error) || error.name !== 'StartError') throw error;
    const { faults = [] } = (error as Error & { readonly more?: { readonly faults?: readonly unknown[] } }).more ?? {};
    return failed(error.message, faults);
  }
  const broken = await mailFolderFaults(config);
  if (broken.length > 0) return failed(`Mail folders have errors:\n${broken.map((line) => `  ${line}`).join('\n')}`, broken);
  const { settings } = config;
  const profiles = Object.values(settings.providers).filter(({ kind }) => kind === 'http').length;
  const count = (n: number, what: string): string => `${n} ${what}${n === 1 ? '' : 's'}`;
  const [spaces, providers] = [Object.keys(settings.spaces).length, Object.keys(settings.providers).length];
  const parts = [count(spaces, 'space'), count(providers, 'provider'), count(profiles, 'profile')];
  output.result(
    { correct: true, spaces, providers, profiles },
    `${output.color.green('✓')} The configuration is correct: ${parts.join(', ')}.`,
  );
  return 0;
}

/** Prints each setting that is in force, with where it came from. */
export function explainConfig(config: ReadConfig, output: Output): ExitCode {
  const settings = explain(config);
  if (output.isForMachines) output.json({ settings });
  else {
    const origin = (from: string | undefined): string => {
      if (from === undefined) return output.color.dim('(default)');
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
