import { existsSync } from 'node:fs';
import { dirname, join, resolve } from 'node:path';
import { linkFolder } from '@verbalis/core/folder';
import { hasErrors } from '@verbalis/core/problems';
import { compileRules, trySignal, type Signal, type Trial } from '@verbalis/core/signals';
import { readMailFolder } from '@verbalis/service/mail-folder';
import { readJson } from '../json-file.js';
import { UsageError, type ExitCode, type Output } from '../output.js';
import { problemText } from '../workbench/check.js';

export interface TryOptions {
  readonly folder?: string;
  readonly data?: boolean;
  readonly json?: boolean;
}

/** The mail folder that a file is in. */
function folderOf(file: string): string {
  for (let at = dirname(resolve(file)); ; at = dirname(at)) {
    if (existsSync(join(at, 'mail.yaml'))) return at;
    if (at === dirname(at)) throw new UsageError(`${file} is in no mail folder.`, 'Name it with --folder.');
  }
}

function signalIn(file: string): Signal {
  const { id, source, type, subject, time, data } = readJson(file) as Record<string, unknown>;
  if (typeof type !== 'string') throw new UsageError(`${file} has no "type".`, '{"type": "booking.paid", "data": {…}}');
  const at = typeof time === 'string' ? Date.parse(time) : Date.now();
  if (Number.isNaN(at)) throw new UsageError(`"${String(time)}" in ${file} is not a valid time.`, 'Write it like 2026-06-01T08:00:00Z.');
  return {
    id: typeof id === 'string' ? id : 'trial',
    source: typeof source === 'string' ? source : '/',
    type,
    subject: typeof subject === 'string' ? subject : undefined,
    time: at,
    data,
  };
}

const minutes = (ms: number): string => `${Math.round(ms / 6000) / 10} minutes`;

function recipientText(to: unknown): string {
  if (typeof to === 'string') return to;
  const { name, address } = to as { name?: string; address?: string };
  return name === undefined ? String(address) : `${name} <${String(address)}>`;
}

function trialText(trial: Trial, withData: boolean, { color }: Output): string {
  switch (trial.outcome) {
    case 'ignored':
      return `${color.dim('– ignored')}  ${trial.rule}: ${trial.why}`;
    case 'refused':
      return [
        `${color.red('✗ refused')}  ${trial.rule}`,
        ...trial.problems.map(({ path, message, hint }) => `    ${path} ${message}.${hint === undefined ? '' : ` ${hint}`}`),
      ].join('\n');
    case 'sends': {
      const { rule, mail, afterMs, unless, combine } = trial;
      const lines = [
        `${color.green('● sends')}  ${rule}: ${mail.template} to ${mail.to.map(recipientText).join(', ')}${mail.locale === undefined ? '' : ` (${mail.locale})`}`,
      ];
      if (afterMs > 0) lines.push(`    ${minutes(afterMs)} after it`);
      if (unless !== undefined) lines.push(`    unless ${unless.type} comes with the key ${unless.key ?? '(none: nothing can cancel it)'}`);
      if (combine !== undefined) lines.push(`    with all others of "${combine.by}" within ${minutes(combine.withinMs)}`);
      if (withData) lines.push(JSON.stringify(mail.data, null, 2).replace(/^/gm, '    '));
      return lines.join('\n');
    }
  }
}

/** Shows which emails would follow from signals. Exits with 1 if a rule refuses one. */
export async function trySignals(files: readonly string[], options: TryOptions, output: Output): Promise<ExitCode> {
  const folder = options.folder ?? folderOf(files[0] ?? '');
  const project = linkFolder(await readMailFolder(folder));
  const { rules, problems } = compileRules(project);
  const errors = problems.filter(({ severity, place }) => severity === 'error' && !place.file.startsWith('signals/samples/'));
  if (hasErrors(errors)) {
    for (const error of errors) output.note(`${problemText(error, project.texts.get(error.place.file), output)}\n`);
    return 1;
  }
  const tried = files.map((file) => {
    const signal = signalIn(file);
    return { file, type: signal.type, trials: trySignal(project, rules, signal) };
  });
  if (options.json === true) output.json(tried);
  else
    for (const { file, type, trials } of tried) {
      output.out(`${output.color.bold(type)}  ${output.color.dim(file)}`);
      const canceled = [...rules.values()].filter(({ unless }) => unless?.type === type).map(({ name }) => name);
      if (canceled.length > 0) output.out(`  cancels what waits of ${canceled.join(', ')}`);
      else if (trials.length === 0)
        output.out(`  No rule is on this type. There are: ${[...new Set([...rules.values()].map(({ on }) => on))].join(', ')}.`);
      for (const trial of trials) output.out(trialText(trial, options.data === true, output).replace(/^/gm, '  '));
    }
  return tried.some(({ trials }) => trials.some(({ outcome }) => outcome === 'refused')) ? 1 : 0;
}
