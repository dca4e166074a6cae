import { httpVerdictRow, namesRecipient, type Cause } from '../delivery/index.js';
import type { Outcome, Reply } from '../smtp/index.js';
import { readCondition, type Condition } from './conditions.js';
import { parseJson, parseXml, UnreadableContent } from './contents.js';
import type { ProfileFaults } from './faults.js';
import { compileProfilePattern } from './patterns.js';
import type { AnswerMeaning, ProfileAnswer } from './schema-answer.js';
import { asText, compileSource, type CompiledSource, type SourceContext, type SourceKind } from './sources.js';

/** An answer as it was read, whole. */
export interface Answer {
  readonly status: number;
  /** What the status is called: "Created". */
  readonly phrase?: string | undefined;
  /** By name in lower case. */
  readonly headers: Readonly<Record<string, string | readonly string[] | undefined>>;
  readonly content: string;
}

/** What a profile finds in an answer. */
export interface AnswerReading {
  readonly outcome: Outcome;
  /** What decided: "answer.accepted", "answer.words.0", "the status 429". */
  readonly because: string;
  /** The values that conditions see. */
  readonly values: Readonly<Record<string, unknown>>;
}

/** For whom the email was, and when it is, to read what an answer says of them. */
export interface AnswerContext {
  readonly address: string;
  /** In milliseconds since the epoch. */
  readonly now: number;
}

export interface ReadAnswer {
  /** Never throws. */
  readonly read: (answer: Answer, context: AnswerContext) => AnswerReading;
  /** What conditions of an answer see. */
  readonly values: (answer: Answer, context: AnswerContext) => Readonly<Record<string, unknown>>;
  /** The names that conditions may use. */
  readonly names: readonly string[];
}

/** No provider is left alone for longer than a day because it asks for it. In milliseconds. */
const LONGEST_WAIT = 24 * 3_600_000;
const MOST_WORDS = 500;
const ENHANCED = /^[245]\.\d{1,3}\.\d{1,3}$/;
const KINDS: readonly SourceKind[] = ['here', 'header', 'pattern'];

interface Compiled {
  readonly entry: { readonly at: CompiledSource; readonly address: CompiledSource } | undefined;
  readonly id: CompiledSource | undefined;
  readonly reason: CompiledSource | undefined;
  readonly status: CompiledSource | undefined;
  readonly retryAfter: CompiledSource | undefined;
  readonly values: readonly (readonly [name: string, source: CompiledSource])[];
  readonly accepted: Condition | undefined;
  readonly outcomes: readonly { readonly holds: Condition; readonly means: AnswerMeaning; readonly cause: Cause | undefined }[];
  readonly words: readonly { readonly fits: (text: string) => boolean; readonly means: AnswerMeaning; readonly cause: Cause | undefined }[];
}

function compile(answer: ProfileAnswer, names: readonly string[], faults: ProfileFaults): Compiled {
  const source = (written: string | undefined, path: string, kinds = KINDS): CompiledSource | undefined => {
    if (written === undefined) return undefined;
    const compiled = compileSource(written, kinds);
    if (typeof compiled !== 'string') return compiled;
    faults.add(`answer.${path}`, compiled);
    return undefined;
  };
  const at = source(answer.entry?.at, 'entry.at', ['here']);
  const address = source(answer.entry?.address, 'entry.address', ['here']);
  return {
    entry: at === undefined || address === undefined ? undefined : { at, address },
    id: source(answer.id, 'id'),
    reason: source(answer.reason, 'reason'),
    status: source(answer.status, 'status'),
    retryAfter: source(answer.retryAfter, 'retryAfter'),
    values: Object.entries(answer.values).flatMap(([name, written]) => {
      const compiled = source(written, `values.${name}`);
      return compiled === undefined ? [] : [[name, compiled] as const];
    }),
    accepted: answer.accepted === undefined ? undefined : readCondition(answer.accepted, names, { path: 'answer.accepted', faults }),
    outcomes: answer.outcomes.map(({ when, means, cause }, i) => ({
      holds: readCondition(when, names, { path: `answer.outcomes.${i}.when`, faults }),
      means,
      cause,
    })),
    words: answer.words.flatMap(({ has, matches, means, cause }, i) => {
      if (has !== undefined) {
        const lower = has.toLowerCase();
        return [{ fits: (text: string) => text.toLowerCase().includes(lower), means, cause }];
      }
      const pattern = compileProfilePattern(matches ?? '');
      if (typeof pattern !== 'string') return [{ fits: pattern.test, means, cause }];
      faults.add(`answer.words.${i}.matches`, pattern);
      return [];
    }),
  };
}

/** The content of an answer, as its profile wants it read; undefined where it is not that. */
function contentOf({ content, headers }: Answer, format: ProfileAnswer['format']): unknown {
  const type = String(headers['content-type'] ?? '').toLowerCase();
  const isXml = format === 'xml' || (format === 'auto' && /[/+]xml\b/.test(type));
  if (format === 'text') return undefined;
  try {
    return isXml ? parseXml(content) : parseJson(content);
  } catch (error) {
    if (!(error instanceof UnreadableContent)) throw error;
    return undefined;
  }
}

/** How long to wait, in milliseconds, from seconds or a date (RFC 9110 10.2.3). */
function waitOf(text: string | undefined, now: number): number | undefined {
  if (text === undefined) return undefined;
  const at = /^\s*\d{1,12}(?:\.\d{1,6})?\s*$/.test(text) ? Number(text) * 1000 : Date.parse(text) - now;
  return Number.isFinite(at) ? Math.min(Math.max(0, Math.round(at)), LONGEST_WAIT) : undefined;
}

function meaningOfStatus(status: number, { statuses }: ProfileAnswer): AnswerMeaning | undefined {
  return statuses[String(status)] ?? statuses[`${Math.floor(status / 100)}xx`];
}

/** What decides how an answer is taken. */
interface Decision {
  readonly kind: AnswerMeaning;
  readonly cause: Cause | undefined;
  readonly because: string;
}

/** Compiles how answers are read. */
export function readAnswer(answer: ProfileAnswer, faults: ProfileFaults): ReadAnswer {
  const names = ['status', 'reason', 'isRead', ...Object.keys(answer.values)];
  for (const name of ['status', 'reason', 'isRead'])
    if (Object.hasOwn(answer.values, name)) faults.add(`answer.values.${name}`, 'has a name that conditions know already.');
  const compiled = compile(answer, names, faults);

  const contextOf = (found: Answer, address: string): SourceContext & { readonly isRead: boolean } => {
    const content = contentOf(found, answer.format);
    const entry = compiled.entry === undefined ? undefined : entryOf(compiled.entry, content, address);
    return {
      here: entry ?? content,
      text: found.content,
      isRead: content !== undefined || answer.format === 'text',
      header: (name) => {
        const value = found.headers[name];
        return typeof value === 'string' ? value : value?.[0];
      },
    };
  };

  const valuesOf = (found: Answer, context: SourceContext & { readonly isRead: boolean }): Readonly<Record<string, unknown>> => ({
    status: found.status,
    reason: asText(compiled.reason?.read(context)),
    isRead: context.isRead,
    ...Object.fromEntries(compiled.values.map(([name, source]) => [name, source.read(context)])),
  });

  const decide = (found: Answer, values: Readonly<Record<string, unknown>>, enhanced: string | undefined): Decision => {
    const row = httpVerdictRow(found.status);
    const i = compiled.outcomes.findIndex(({ holds }) => holds(values));
    const outcome = compiled.outcomes[i];
    if (outcome !== undefined) return { kind: outcome.means, cause: outcome.cause, because: `answer.outcomes.${i}` };
    const means = meaningOfStatus(found.status, answer);
    let kind = means ?? row.kind;
    let because = means === undefined ? `the status ${found.status}` : 'answer.statuses';
    // After the content has left only an answer that rules it out shows that nothing was accepted.
    if (means === undefined && kind === 'uncertain' && answer.notAccepted.includes(found.status))
      [kind, because] = ['trouble', 'answer.notAccepted'];
    if (kind === 'accepted' && compiled.accepted !== undefined && !compiled.accepted(values)) {
      // What cannot be read says neither yes nor no.
      [kind, because] =
        values['isRead'] === true ? ['rejected', 'answer.accepted'] : ['uncertain', 'answer.accepted, in what cannot be read'];
    }
    if (kind === 'accepted') return { kind, cause: undefined, because };
    const said = asText(values['reason']) ?? found.content;
    const w = compiled.words.findIndex(({ fits }) => fits(said));
    const word = compiled.words[w];
    if (word !== undefined) return { kind: word.means, cause: word.cause, because: `answer.words.${w}` };
    if (kind === 'rejected' && namesRecipient(said, enhanced))
      return { kind: 'refused', cause: undefined, because: 'what it says of the recipient' };
    return { kind, cause: kind === row.kind ? row.cause : undefined, because };
  };

  const read = (found: Answer, { address, now }: AnswerContext): AnswerReading => {
    const context = contextOf(found, address);
    const values = valuesOf(found, context);
    const status = asText(compiled.status?.read(context));
    const enhanced = status !== undefined && ENHANCED.test(status) ? status : undefined;
    const { kind, cause, because } = decide(found, values, enhanced);
    if (kind === 'accepted') return { outcome: acceptedBy(found, asText(compiled.id?.read(context))), because, values };
    const wait = waitOf(asText(compiled.retryAfter?.read(context)) ?? context.header?.('retry-after'), now);
    const row = httpVerdictRow(found.status);
    return {
      because,
      values,
      outcome: {
        kind,
        phase: 'answer',
        reply: replyOf(found, asText(values['reason']), enhanced),
        ...(kind === 'trouble' ? { scope: row.kind === 'trouble' ? row.scope : 'provider' } : {}),
        ...(cause === undefined ? {} : { cause }),
        retryAfterMs: wait,
      },
    };
  };

  const acceptedBy = (found: Answer, providerId: string | undefined): Outcome => {
    const reason =
      answer.id === undefined || providerId !== undefined
        ? `${found.status} ${found.phrase ?? ''}`.trim()
        : `${found.status}, but the answer holds no id at ${answer.id}; callbacks cannot be matched by it.`;
    return { kind: 'accepted', phase: 'answer', reply: undefined, reason, providerId: providerId?.slice(0, MOST_WORDS) };
  };

  return { names, read, values: (found, { address }) => valuesOf(found, contextOf(found, address)) };
}

/** The entry of an answer that speaks of an address; undefined where none does. */
function entryOf(entry: NonNullable<Compiled['entry']>, content: unknown, address: string): unknown {
  const found = entry.at.read({ here: content });
  const list: readonly unknown[] = Array.isArray(found) ? (found as unknown[]) : [];
  const wanted = address.toLowerCase();
  return list.find((result) => asText(entry.address.read({ here: result }))?.toLowerCase() === wanted);
}

function replyOf(found: Answer, said: string | undefined, enhanced: string | undefined): Reply {
  const location = found.headers['location'];
  const redirected =
    found.status >= 300 && found.status < 400
      ? ` (to ${typeof location === 'string' ? location : 'nowhere'}; redirects are not followed)`
      : '';
  const words = `${(said ?? found.content.replace(/\s+/g, ' ')).slice(0, MOST_WORDS)}${redirected}`;
  return { code: found.status, enhanced, lines: [words === '' ? (found.phrase ?? '') : words] };
}
