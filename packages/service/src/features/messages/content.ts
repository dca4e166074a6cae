import { Fault, didYouMean } from '@verbalis/core/problems';
import { textOfHtml } from '@verbalis/core/program';
import { canonicalLocale, lookUp } from '@verbalis/core/strings';
import { MASK, type Masking } from '@verbalis/core/typing';
import type { Renderer } from '@verbalis/core/render';
import type { LoadedEdition, ReadyTemplate } from '../editions/index.js';
import { Refusal, type RequestProblem } from '../../kernel/index.js';
import type { MessageMore } from './tables.js';
import type { MessageRequest } from './model.js';

const LONGEST_READY = 2 * 1024 * 1024;

/** What a template or the app itself gives to a message. */
export interface Content {
  readonly template: string;
  readonly edition: number;
  readonly locale: string;
  /** What was asked for, where the template is not offered in it. */
  readonly localeAsked?: string;
  readonly topic: string | undefined;
  readonly subject: string;
  readonly sender: string | undefined;
  readonly replyTo: string | undefined;
  readonly ready: MessageMore['ready'];
  /** What may be shown in place of its subject and its data, where some of the data are sensitive. */
  readonly masked?: { readonly subject: string; readonly data: unknown };
}

/** An email from a template; it is rendered once here to find out what only its data can bring about. */
export function templateContent(
  wanted: MessageRequest,
  {
    name,
    edition,
    space,
    now,
    isExempt,
    problems,
  }: {
    readonly name: string;
    readonly edition: LoadedEdition;
    readonly space: string;
    readonly now: number;
    /** Whether sensitive data may be kept and shown as all others. */
    readonly isExempt: boolean;
    readonly problems: RequestProblem[];
  },
): Content | undefined {
  const template: ReadyTemplate | undefined = edition.templates.get(name);
  if (template === undefined) {
    const hint = didYouMean(name, edition.templates.keys());
    problems.push({ path: 'template', message: `there is no template "${name}" in edition ${edition.number}`, hint });
    return undefined;
  }
  const data = wanted.data ?? {};
  problems.push(...givenFaults(wanted, template));
  if (problems.length > 0) return undefined;
  const ready = template.render(wanted.locale);
  if (ready === undefined)
    throw new Refusal(409, 'template-broken', 'This template has errors', {
      detail: `The template "${name}" cannot be rendered.`,
      hint: 'Run verbalis check on its mail folder.',
    });
  let subject: string;
  const mail = { space, now };
  try {
    subject = subjectOf(ready.renderer, data, mail);
  } catch (error) {
    if (!(error instanceof Fault)) throw error;
    problems.push({ path: 'data', message: `${error.message} (${error.at})`, hint: error.hint });
    return undefined;
  }
  if (subject === '') problems.push({ path: 'data', message: 'the subject comes out empty', hint: 'Look at the subject of the template.' });
  const { topic, sender, replyTo } = template.compiled;
  const { locale } = ready.program;
  return {
    template: name,
    edition: edition.number,
    locale,
    ...otherLocale(wanted.locale, locale),
    topic,
    subject,
    sender,
    replyTo,
    ready: undefined,
    ...(isExempt ? {} : maskedContent(template, data, (given) => subjectOf(ready.renderer, given, mail))),
  };
}

/** What is wrong with what a request brings for a template. */
function givenFaults(wanted: MessageRequest, { files }: ReadyTemplate): RequestProblem[] {
  const twice = (['subject', 'html', 'text', 'topic'] as const).filter((key) => wanted[key] !== undefined);
  return [
    ...twice.map((key) => ({ path: key, message: 'comes from the template', hint: 'Leave it out, or leave out "template".' })),
    ...files
      .checkData(wanted.data ?? {})
      .map(({ path, message, hint }) => ({ path: path === '' ? 'data' : `data.${path}`, message, hint })),
  ];
}

/** What is shown of an email, where its template has sensitive data. */
function maskedContent({ files: { masking } }: ReadyTemplate, data: unknown, render: (data: unknown) => string): Pick<Content, 'masked'> {
  return masking === undefined ? {} : { masked: { data: masking.shown(data), subject: maskedSubject(masking, data, render) } };
}

/** The locale that was asked for, where the email is in another language: "fr" for "fr-CA" is what was asked for. */
function otherLocale(wanted: string | undefined, locale: string): Pick<Content, 'localeAsked'> {
  const asked = wanted === undefined ? undefined : canonicalLocale(wanted);
  return asked !== undefined && !lookUp(asked, '').includes(locale) ? { localeAsked: asked } : {};
}

function subjectOf({ shown }: Renderer, data: unknown, { space, now }: { readonly space: string; readonly now: number }): string {
  return shown({ data, now, mail: { space } }).subject;
}

/** The subject of an email whose sensitive data are masked. */
function maskedSubject(masking: Masking, data: unknown, render: (data: unknown) => string): string {
  try {
    const [one, other] = [render(masking.standIns(data, 0)), render(masking.standIns(data, 1))];
    // "0 left" would be a lie.
    return one === other ? one : MASK;
  } catch (error) {
    if (!(error instanceof Fault)) throw error;
    return MASK;
  }
}

/** An email that the app has made itself; a text part is made from its HTML where it brings none. */
export function readyContent(wanted: MessageRequest, edition: LoadedEdition, problems: RequestProblem[]): Content | undefined {
  const { subject = '', topic } = wanted;
  // An empty part is left out.
  const [html, text] = [wanted.html, wanted.text].map((part) => (part === '' ? undefined : part));
  if (subject.trim() === '')
    problems.push({ path: 'subject', message: 'is missing', hint: 'Name a template, or give subject with html or text.' });
  if (html === undefined && text === undefined) problems.push({ path: 'text', message: 'is missing', hint: 'Give html, text or both.' });
  if (wanted.data !== undefined && Object.keys(wanted.data).length > 0)
    problems.push({ path: 'data', message: 'has no meaning without a template' });
  if ((html ?? '').length + (text ?? '').length > LONGEST_READY)
    problems.push({ path: 'html', message: `and text have more than ${LONGEST_READY} characters` });
  const topics = Object.keys(edition.project.settings.topics);
  if (topic !== undefined && !topics.includes(topic))
    problems.push({ path: 'topic', message: `there is no topic "${topic}"`, hint: didYouMean(topic, topics) });
  if (problems.length > 0) return undefined;
  const shown = text ?? textOfHtml(html ?? '');
  const ready = html === undefined ? { text: shown } : { html, text: shown };
  const locale = canonicalLocale(wanted.locale ?? '') ?? edition.project.settings.locale;
  return { template: '', edition: edition.number, locale, topic, subject, sender: undefined, replyTo: undefined, ready };
}
