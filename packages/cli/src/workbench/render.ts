import { linkFolder, type TemplateFiles } from '@verbalis/core/folder';
import { isFault, mailBytes, parseMailbox, writeMail } from '@verbalis/core/mime';
import { Fault, didYouMean } from '@verbalis/core/problems';
import { compileFolder } from '@verbalis/core/program';
import { localeFault, lookUp } from '@verbalis/core/strings';
import { prepare, type Rendering } from '@verbalis/core/render';
import { readMailFolder } from '@verbalis/service/mail-folder';
import { readJson } from '../json-file.js';
import { UsageError, type ExitCode, type Output } from '../output.js';
import { problemText } from './check.js';

export interface RenderOptions {
  readonly sample?: string;
  readonly data?: string;
  readonly locale?: string;
  readonly part?: 'subject' | 'preview' | 'html' | 'text' | 'eml';
  readonly json?: boolean;
}

export async function render(folder: string, name: string, options: RenderOptions, output: Output): Promise<ExitCode> {
  const project = linkFolder(await readMailFolder(folder));
  const compiled = compileFolder(project);
  const template = project.templates.get(name);
  const made = compiled.templates.get(name);
  const wrong = [...project.problems, ...(made?.problems ?? [])].filter((problem) => problem.severity === 'error');
  if (template === undefined && wrong.length === 0)
    throw new UsageError(`There is no template "${name}" in ${folder}.`, didYouMean(name, project.templates.keys()));
  const fault = options.locale === undefined ? undefined : localeFault(options.locale);
  if (fault !== undefined) throw new UsageError(`The locale "${options.locale ?? ''}" ${fault}`);
  const locale = options.locale ?? project.settings.locale;
  const program = lookUp(locale, project.settings.locale)
    .map((tag) => made?.programs.get(tag))
    .find((value) => value !== undefined);
  if (template === undefined || program === undefined) {
    for (const problem of wrong) output.note(`${problemText(problem, project.texts.get(problem.place.file), output)}\n`);
    return 1;
  }
  if (!lookUp(locale, '').includes(program.locale))
    output.note(
      `"${name}" is not offered in ${locale}; this is ${program.locale}. Offered: ${[...(made?.programs.keys() ?? [])].join(', ')}.`,
    );
  const data = dataFor(template, options);
  const faults = template.checkData(data);
  if (faults.length > 0) {
    for (const dataProblem of faults)
      output.note(
        `${dataProblem.path === '' ? 'the data' : `"${dataProblem.path}"`} ${dataProblem.message}.${dataProblem.hint === undefined ? '' : ` ${dataProblem.hint}`}`,
      );
    return 1;
  }
  let rendering: Rendering;
  try {
    rendering = prepare(program)({ data, now: Date.now() });
  } catch (error) {
    if (!(error instanceof Fault)) throw error;
    output.note(`${error.at}  ${error.code}\n  ${error.message}${error.hint === undefined ? '' : `\n  ${error.hint}`}`);
    return 1;
  }
  if (options.part === 'eml') output.bytes(emlOf(rendering, project.settings.sender));
  else if (options.json === true) output.json({ template: name, locale: program.locale, ...rendering });
  else if (options.part === undefined) output.out(overview(rendering, output));
  else output.out(rendering[options.part]);
  return 0;
}

function dataFor(template: TemplateFiles, options: RenderOptions): unknown {
  if (options.data !== undefined) {
    if (options.sample !== undefined) throw new UsageError('Give either --sample or --data, not both.');
    return readJson(options.data);
  }
  const name = options.sample ?? template.samples.find(({ name }) => name === 'typical')?.name ?? template.samples[0]?.name;
  const sample = template.samples.find((sample) => sample.name === name);
  if (sample === undefined) {
    const names = template.samples.map(({ name }) => name);
    throw new UsageError(
      `The template "${template.name}" has no sample "${name ?? ''}".`,
      didYouMean(name ?? '', names) ?? 'Give data with --data FILE.',
    );
  }
  return sample.data;
}

function overview(rendering: Rendering, { color }: Output): string {
  return `${color.dim('subject')}  ${rendering.subject}\n${color.dim('preview')}  ${rendering.preview}\n${color.dim('html')}     ${Buffer.byteLength(rendering.html)} bytes (see it with --part html)\n\n${rendering.text}`;
}

function emlOf(rendering: Rendering, sender: string | undefined): Uint8Array {
  const from = parseMailbox(sender ?? 'sender@localhost.example');
  if (isFault(from)) throw new UsageError(`The sender in mail.yaml ${from.fault}.`, from.hint);
  return mailBytes(
    writeMail({
      from,
      to: [{ name: '', local: 'recipient', domain: 'localhost.example' }],
      subject: rendering.subject,
      messageId: `sample@${from.domain}`,
      date: Date.now(),
      text: rendering.flowed,
      flowed: true,
      html: rendering.html,
      boundary: '=_sample-of-verbalis-render',
    }),
  );
}
