import { compileOps } from './compile-ops.js';
import { compileText, SOFT_BREAK } from './compile-text.js';
import { bareEnvironment, type Environment } from './environment.js';
import { memo } from '../formats/index.js';
import { compileMessage } from '../strings/index.js';
import type { Program, TextOp } from './ops.js';
import { Fault } from '../problems/index.js';

export interface Rendering {
  readonly subject: string;
  readonly preview: string;
  readonly html: string;
  readonly text: string;
  /** The text as format=flowed (RFC 3676): a line that ends with a space goes on in the next. */
  readonly flowed: string;
}

/** What a rendering needs beside the program. Nothing else flows in: the same input gives the same output. */
export interface RenderInput {
  /** Fits the template's data schema. */
  readonly data: unknown;
  /** Milliseconds since the epoch, for `relative`. */
  readonly now: number;
  /** IANA zone; the mail folder's when left out. */
  readonly timeZone?: string;
  readonly mail?: Readonly<Record<string, unknown>>;
}

export interface Renderer {
  /** @throws Fault when a value of the data cannot be shown (a date that does not exist, an invalid link). */
  (input: RenderInput): Rendering;
  /** The HTML alone. */
  readonly html: (input: RenderInput) => string;
  /** All but the text part, which is laid out only where something may fail in it alone: enough to find out whether an email can be made. @throws Fault */
  readonly shown: (input: RenderInput) => Pick<Rendering, 'subject' | 'preview' | 'html'>;
}

// Layouts say the same in every mail.
const keptMessage = memo(compileMessage, 2000);

/** The text as people see it, and as clients may wrap it again. */
function textParts(marked: string): { text: string; flowed: string } {
  if (!marked.includes(SOFT_BREAK)) return { text: marked, flowed: flow(marked) };
  return { text: marked.replaceAll(SOFT_BREAK, ''), flowed: flow(marked) };
}

/** Fixed lines lose their spaces at the end (but for the mark of a signature), soft ones get one; the start is stuffed (RFC 3676 4.4). */
function flow(marked: string): string {
  let out = '';
  for (let from = 0; from <= marked.length;) {
    const found = marked.indexOf('\n', from);
    const end = found === -1 ? marked.length : found;
    const soft = end > from && marked[end - 1] === SOFT_BREAK;
    const line = marked.slice(from, soft ? end - 1 : end);
    const bare = line === '-- ' && !soft ? line : line.trimEnd();
    const stuffed = bare[0] === ' ' || bare[0] === '>' || bare.startsWith('From ');
    out += `${from === 0 ? '' : '\n'}${stuffed ? ' ' : ''}${bare}${soft ? ' ' : ''}`;
    from = end + 1;
  }
  return out;
}

/** The places in a program at which something may fail. */
function placesIn(node: unknown, into = new Set<string>()): Set<string> {
  if (typeof node !== 'object' || node === null) return into;
  for (const [key, value] of Object.entries(node)) {
    if (key === 'at' && typeof value === 'string') into.add(value);
    else placesIn(value, into);
  }
  return into;
}

/** For each text part; languages of one source share it, and its siblings are the same in all of them. */
const failing = new WeakMap<Program['text'], boolean>();

/** Whether something may fail in the text part alone. */
function mayTextFail({ subject, preview, html, text }: Program): boolean {
  const known = failing.get(text);
  if (known !== undefined) return known;
  const shown = placesIn([html, subject, preview]);
  const may = [...placesIn(text)].some((place) => !shown.has(place));
  failing.set(text, may);
  return may;
}

/** A text part that needs no data: of HTML that an app has made itself. */
export function compileTextOps(ops: readonly TextOp[]): string {
  return compileText(ops)(bareEnvironment({}, 0)).replaceAll(SOFT_BREAK, '');
}

/** Makes a program ready to run. Done once an edition; the result is kept. */
export function prepare(program: Program): Renderer {
  const [subject, preview, html] = [compileOps(program.subject), compileOps(program.preview), compileOps(program.html)];
  let compiledText: ReturnType<typeof compileText> | undefined;
  const text = (env: Environment): string => (compiledText ??= compileText(program.text))(env);
  const messages = new Map<string, ReturnType<typeof compileMessage>>();
  const say = (key: string, values: Readonly<Record<string, unknown>>, at: string, timeZone: string): string => {
    const name = `${timeZone}\n${key}`;
    let message = messages.get(name);
    if (message === undefined) {
      const found = program.strings[key];
      if (found === undefined) throw new Fault('unknown-string', `There is no string "${key}".`, { at });
      messages.set(name, (message = keptMessage(found.text, found.locale, timeZone)));
    }
    try {
      return message(values);
    } catch (error) {
      throw new Fault('string-value', `The string "${key}" cannot be said: ${error instanceof Error ? error.message : ''}`, { at });
    }
  };
  const environment = (input: RenderInput): Environment => ({
    data: input.data,
    mail: { locale: program.locale, baseUrl: program.baseUrl, space: '', unsubscribe: program.baseUrl, ...input.mail },
    slots: new Array<unknown>(program.slots).fill(undefined),
    context: { locale: program.locale, timeZone: input.timeZone ?? program.timeZone, now: input.now },
    baseUrl: program.baseUrl,
    linkHosts: program.linkHosts,
    notes: [],
    words: program.words,
    say: (key, values, at) => say(key, values, at, input.timeZone ?? program.timeZone),
    turns: 0,
  });
  const render = (input: RenderInput): Rendering => {
    const env = environment(input);
    return { subject: subject(env).trim(), preview: preview(env).trim(), html: html(env), ...textParts(text(env)) };
  };
  // The text part mostly shows the values that the HTML shows, and where those can be shown, they can.
  const shown = (input: RenderInput): Pick<Rendering, 'subject' | 'preview' | 'html'> => {
    const env = environment(input);
    const made = { subject: subject(env).trim(), preview: preview(env).trim(), html: html(env) };
    if (mayTextFail(program)) text(env);
    return made;
  };
  return Object.assign(render, { shown, html: (input: RenderInput) => html(environment(input)) });
}
