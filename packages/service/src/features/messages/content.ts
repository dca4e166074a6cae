import { Fault, didYouMean } from '@verbalis/core/problems';
import { textOfHtml } from '@verbalis/core/program';
import { canonicalLocale, lookUp } from '@verbalis/core/strings';
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
}

/** An email from a template; it is rendered once here to find out what only its data can bring about. */
export function templateContent(
  wanted: MessageRequest,
  {
    name,
    edition,
    space,
    now,
    problems,
  }: {
    readonly name: string;
    readonly edition: LoadedEdition;
    readonly space: string;
    readonly now: number;
    readonly problems: RequestProblem[];
  },
): Content | undefined {
  const template: ReadyTemplate | undefined = edition.templates.get(name);
  if (template === undefined) {
    const hint = didYouMean(name, edition.templates.keys());
    problems.push({ path: 'template', message: `there is no template "${name}" in edition ${edition.number}`, hint });
    return undefined;
  }
  for (const key of ['subject', 'html', 'text', 'topic'] as const)
    if (wanted[key] !== undefined)
      problems.push({ path: key, message: 'comes from the template', hint: 'Leave it out, or leave out "template".' });
  const data = wanted.data ?? {};
  for (const fault of template.files.checkData(data))
    problems.push({ path: fault.path === '' ? 'data' : `data.${fault.path}`, message: fault.message, hint: fault.hint });
  if (problems.length > 0) return undefined;
  const ready = template.render(wanted.locale);
  if (ready === undefined)
    throw new Refusal(409, 'template-broken', 'This template has errors', {
      detail: `The template "${name}" cannot be rendered.`,
      hint: 'Run verbalis check on its mail folder.',
    });
  let subject: string;
  try {
    subject = ready.renderer.shown({ data, now, mail: { space } }).subject;
  } catch (error) {
    if (!(error instanceof Fault)) throw error;
    problems.push({ path: 'data', message: `${error.message} (${error.at})`, hint: error.hint });
    return undefined;
  }
  if (subject === '') problems.push({ path: 'data', message: 'the subject comes out empty', hint: 'Look at the subject of the template.' });
  const { topic, sender, replyTo } = template.compiled;
  const { locale } = ready.program;
  const asked = wanted.locale === undefined ? undefined : canonicalLocale(wanted.locale);
  // "fr" for "fr-CA" is what was asked for; another language is not.
  const isOther = asked !== undefined && !lookUp(asked, '').includes(locale);
  return {
    template: name,
    edition: edition.number,
    locale,
    ...(isOther ? { localeAsked: asked } : {}),
    topic,
    subject,
    sender,
    replyTo,
    ready: undefined,
  };
}

/** An email that the app has made itself; a text part is made from its HTML where it brings none. */
export function readyContent(wanted: MessageRequest, edition: LoadedEdition, problems: RequestProblem[]): Content | undefined {
  const { subject = '', topic } = wanted;
  // A part without anything in it is none.
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
