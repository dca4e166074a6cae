import { pathFrom, type MailProject, type Sample, type SourceFile, type YamlFile } from '../folder/index.js';
import { readPayloadExpression, readPayloadTemplate, type PayloadTemplate } from '../payload/index.js';
import { Budget, didYouMean, inReadingOrder, problem, SourceText, warning, type Place, type Problem } from '../problems/index.js';
import { truthy } from '../render/index.js';
import {
  ANY,
  either,
  ExpressionTyper,
  optional,
  Scope,
  SENSITIVE,
  TEXT,
  textOf,
  typeOfSchema,
  type DataCheck,
  type JsonSchema,
  type Masking,
  type Type,
} from '../typing/index.js';
import { listType, recordType } from '../payload/index.js';
import { misfits } from './fitting.js';
import { isNever } from './never.js';
import { readRuleFile, type RuleFile } from './rule-file.js';
import type { Mail, Rule, Signal } from './rule.js';

export interface CompiledRules {
  /** By name; one that has mistakes is not there. */
  readonly rules: ReadonlyMap<string, Rule>;
  /** The schema of each type of signal that a rule is on. */
  readonly schemas: ReadonlyMap<string, JsonSchema>;
  readonly problems: readonly Problem[];
}

const NAME = /^[a-z0-9][a-z0-9-]*$/;
/** Every signal is checked against all of them. */
const MOST_RULES = 500;
/** What one question to a rule may cost. */
const BOUNDS = { steps: 200_000, bytes: 8 * 1024 * 1024 };

/** Whom a rule writes to. */
const MAILBOX: Type = either(
  TEXT,
  recordType(
    new Map([
      ['name', optional(TEXT)],
      ['address', TEXT],
    ]),
  ),
);
const MAILBOXES: Type = either(MAILBOX, listType([{ spread: false, type: MAILBOX }]));
const SIGNAL: Type = recordType(
  new Map([
    ['id', TEXT],
    ['source', TEXT],
    ['type', TEXT],
    ['subject', optional(TEXT)],
    ['time', textOf('date-time')],
  ]),
);
/** Where parts of the mail go, and what must come of them. */
const PARTS: readonly (readonly [Exclude<keyof RuleFile['send'], 'template' | 'data'>, Type])[] = [
  ['to', MAILBOXES],
  ['cc', optional(MAILBOXES)],
  ['replyTo', optional(MAILBOXES)],
  ['locale', optional(TEXT)],
  ['timeZone', optional(TEXT)],
  ['reference', optional(TEXT)],
];

/** A rule that was read, with the schema of its signals. */
interface ReadRule {
  readonly name: string;
  readonly source: SourceFile;
  readonly read: YamlFile<RuleFile>;
  readonly schemaPath: string;
  readonly schema: JsonSchema;
  readonly type: Type;
  readonly checkData: DataCheck;
  readonly masking: Masking | undefined;
}

/** Reads the signal rules of a mail folder, and types them against the schemas of their signals and templates. */
export function compileRules(project: MailProject): CompiledRules {
  const problems: Problem[] = [];
  const read = [...project.rules]
    .sort(([a], [b]) => (a < b ? -1 : 1))
    .flatMap(([name, source]) => readRule(project, name, source, problems) ?? []);
  if (project.rules.size > MOST_RULES)
    problems.push(
      problem(
        'too-many-rules',
        new SourceText('signals', '').whole,
        `This mail folder has ${project.rules.size} signal rules; ${MOST_RULES} are allowed.`,
      ),
    );
  const first = new Map<string, ReadRule>();
  for (const rule of read) {
    const { on } = rule.read.content;
    const earlier = first.get(on);
    if (earlier === undefined) first.set(on, rule);
    else if (earlier.schemaPath !== rule.schemaPath)
      problems.push(
        problem(
          'signal-schema',
          rule.read.valueAt(['data']),
          `${earlier.source.file} says ${earlier.schemaPath} of the same signal.`,
          `All rules on "${on}" need one schema: it is checked when the signal comes in.`,
        ),
      );
  }
  const rules = new Map(
    read.flatMap((rule) => {
      const made = compileRule(project, rule, { typeOf: (type) => first.get(type)?.type, problems });
      return made === undefined ? [] : [[rule.name, made] as const];
    }),
  );
  for (const sample of project.signalSamples) problems.push(...sampleFaults(sample, first, project));
  const schemas = new Map([...first].map(([on, { schema }]) => [on, schema]));
  return { rules, schemas, problems: inReadingOrder(problems) };
}

function readRule(project: MailProject, name: string, source: SourceFile, problems: Problem[]): ReadRule | undefined {
  if (!NAME.test(name))
    problems.push(
      problem(
        'rule-name',
        new SourceText(source.file, '').whole,
        `"${name}" is not a valid name of a rule.`,
        'Use small letters, digits and "-".',
      ),
    );
  const read = readRuleFile(source, problems);
  if (read === undefined) return undefined;
  const schemaPath = pathFrom('signals', read.content.data);
  const schema = project.schemas.get(schemaPath);
  if (schema === undefined) {
    // One that cannot be read was reported already.
    if (!project.texts.has(schemaPath))
      problems.push(
        problem(
          'no-schema',
          read.valueAt(['data']),
          `There is no data schema "${read.content.data}".`,
          didYouMean(schemaPath, project.schemas.keys()) ?? 'Schemas of signals are in schemas/: ../schemas/NAME.schema.json.',
        ),
      );
    return undefined;
  }
  return { name, source, read, schemaPath, ...schema, type: typeOfSchema(schema.schema) };
}

interface CompileOptions {
  /** The data of another type of signal, where a rule on it says what it is. */
  readonly typeOf: (type: string) => Type | undefined;
  readonly problems: Problem[];
}

const scopeOf = (data: Type, more: readonly (readonly [string, Type])[] = []): Scope =>
  Scope.of(undefined, [['data', data], ['signal', SIGNAL], ...more]);

function pathSteps(path: string): string[] {
  return path
    .replace(/^\$\.?/, '')
    .split(/\.|\[(\d+)\]\.?/)
    .filter((step: string | undefined) => step !== undefined && step !== '' && !step.startsWith('$'));
}

function compileRule(project: MailProject, rule: ReadRule, { typeOf, problems }: CompileOptions): Rule | undefined {
  const { content, valueAt } = rule.read;
  const { file } = rule.source;
  const own: Problem[] = [];
  const scope = scopeOf(rule.type);
  const options = (at: readonly string[], within: Scope | undefined) => ({
    ...(within === undefined ? {} : { scope: within }),
    placeOf: (path: string): Place => valueAt([...at, ...pathSteps(path)]),
  });
  const text = (name: 'key' | 'by', at: readonly string[], written: string, within: Scope | undefined): PayloadTemplate => {
    const made = readPayloadTemplate(written, file, undefined, options(at, within));
    own.push(...made.problems);
    if (within !== undefined && made.problems.length === 0)
      for (const member of made.type.members)
        if (member.kind !== 'text' && member.kind !== 'number')
          own.push(problem('rule-type', valueAt(at), `"${name}" must be a text or a number.`));
    return made.payload;
  };

  const test =
    content.when === undefined ? undefined : readPayloadExpression(content.when, file, { ...options(['when'], scope), path: '$' });
  own.push(...(test?.problems ?? []));
  if (test?.parsed !== undefined && test.problems.length === 0 && isNever(test.parsed, scope, new ExpressionTyper([], undefined)))
    own.push(problem('rule-never', valueAt(['when']), `"${content.when ?? ''}" can never hold.`));

  const { unless, key, combine, after, atMost, on, send } = content;
  const keyOf = key === undefined ? undefined : text('key', ['key'], key, scope);
  // What cancels may be a signal that no rule is on: nothing is known of its data then.
  const canceling = unless === undefined ? undefined : typeOf(unless);
  const before = own.length;
  const cancelKey =
    key === undefined || unless === undefined
      ? undefined
      : text('key', ['key'], key, canceling === undefined ? undefined : scopeOf(canceling));
  for (const fault of own.splice(before)) own.push({ ...fault, message: `On "${unless ?? ''}": ${fault.message}` });
  const byOf = combine === undefined ? undefined : text('by', ['combine', 'by'], combine.by, scope);

  const mailScope = combine === undefined ? scope : scopeOf(rule.type, [['all', listType([{ spread: false, type: rule.type }])]]);
  const mail = mailOf(project, rule, { scope: mailScope, problems: own });
  problems.push(...own);
  if (own.some(({ severity }) => severity === 'error')) return undefined;
  const budget = (): Budget => new Budget(`The rule "${rule.name}"`, BOUNDS);
  const asked = (payload: PayloadTemplate, signal: Signal): unknown => payload(namesOf([signal]), budget());
  const keyText = (value: unknown): string | undefined =>
    typeof value === 'string' || typeof value === 'number' ? String(value) : undefined;
  return {
    name: rule.name,
    file,
    on,
    template: send.template,
    checkData: rule.checkData,
    masking: rule.masking,
    when: content.when,
    holds: (signal) => test === undefined || truthy(asked(test.value, signal)),
    afterMs: after ?? 0,
    keyOf: (signal) => (keyOf === undefined ? undefined : keyText(asked(keyOf, signal))),
    unless:
      unless === undefined || cancelKey === undefined ? undefined : { type: unless, keyOf: (signal) => keyText(asked(cancelKey, signal)) },
    combine:
      combine === undefined || byOf === undefined
        ? undefined
        : { withinMs: combine.within, byOf: (signal) => keyText(asked(byOf, signal)) ?? '' },
    atMost: atMost === undefined ? undefined : { count: atMost.count, withinMs: atMost.within },
    mail: (signals) => mail(namesOf(signals), budget()),
  };
}

/** What the expressions of a rule see. */
function namesOf(signals: readonly [Signal, ...Signal[]]): Readonly<Record<string, unknown>> {
  const { data, id, source, type, subject, time } = signals.at(-1) ?? signals[0];
  return {
    data,
    signal: { id, source, type, subject, time: new Date(time).toISOString() },
    all: signals.map((signal) => signal.data),
  };
}

/** What makes the email of a rule, typed against its template. */
function mailOf(
  project: MailProject,
  { read: { content, valueAt }, source: { file }, type, schemaPath, masking }: ReadRule,
  { scope, problems }: { readonly scope: Scope; readonly problems: Problem[] },
): (names: Readonly<Record<string, unknown>>, work: Budget) => Mail {
  const { send } = content;
  const placeOf = (at: readonly string[]) => (path: string) => valueAt([...at, ...pathSteps(path)]);
  const made = new Map<string, PayloadTemplate>();
  const part = (name: string, written: unknown, wanted: Type, at: readonly string[] = ['send', name]): void => {
    const shape = readPayloadTemplate(written, file, undefined, { scope, placeOf: placeOf(at) });
    problems.push(...shape.problems);
    made.set(name, shape.payload);
    if (shape.problems.length > 0) return;
    for (const sentence of misfits(wanted, shape.type, name))
      problems.push(problem('rule-type', valueAt(at), sentence, name === 'data' ? `The template is "${send.template}".` : undefined));
  };
  for (const [name, wanted] of PARTS) if (send[name] !== undefined) part(name, send[name], wanted);
  for (const [name, written] of Object.entries(send.labels ?? {}))
    part(`labels.${name}`, written, optional(TEXT), ['send', 'labels', name]);
  if (send.labels !== undefined) made.set('labels', readPayloadTemplate(send.labels, file, undefined, { scope }).payload);
  const template = project.templates.get(send.template);
  if (template === undefined)
    problems.push(
      problem(
        'unknown-template',
        valueAt(['send', 'template']),
        `There is no template "${send.template}".`,
        didYouMean(send.template, project.templates.keys()),
      ),
    );
  else if (template.masking !== undefined && masking === undefined)
    problems.push(
      problem(
        'sensitive-signal',
        valueAt(['send', 'template']),
        `The template "${send.template}" has sensitive data, and the signal's schema marks none.`,
        `Mark in ${schemaPath} where they come from: "${SENSITIVE}": true.`,
      ),
    );
  const wanted = template === undefined ? ANY : typeOfSchema(template.schema);
  // Left out: the template wants what the signal carries.
  if (send.data !== undefined) part('data', send.data, wanted);
  else
    for (const sentence of misfits(wanted, type, 'data'))
      problems.push(
        problem('rule-type', valueAt(['data']), sentence, `Say in "send.data" what of the signal the template "${send.template}" gets.`),
      );
  const list = (value: unknown): readonly unknown[] => (Array.isArray(value) ? value : [value]);
  return (names, work) => {
    const value = (name: string): unknown => made.get(name)?.(names, work);
    const optionalPart = (name: string, change: (given: unknown) => unknown = (given) => given): Record<string, unknown> => {
      const given = value(name);
      return given === undefined || given === null ? {} : { [name]: change(given) };
    };
    return {
      template: send.template,
      to: list(value('to')),
      ...optionalPart('cc', list),
      ...optionalPart('replyTo', list),
      ...optionalPart('locale'),
      ...optionalPart('timeZone'),
      ...optionalPart('reference'),
      ...optionalPart('labels'),
      data: made.has('data') ? (value('data') ?? {}) : names['data'],
    };
  };
}

/** The faults of a sample signal. */
function sampleFaults({ file, data }: Sample, rules: ReadonlyMap<string, ReadRule>, project: MailProject): Problem[] {
  const source = new SourceText(file, project.texts.get(file) ?? '');
  const place = (key: string): Place => {
    const at = source.text.indexOf(`"${key}"`);
    return at === -1 ? source.place(0, 1) : source.place(at, key.length + 2);
  };
  const { type, data: carried } = (typeof data === 'object' && data !== null ? data : {}) as {
    readonly type?: unknown;
    readonly data?: unknown;
  };
  if (typeof type !== 'string')
    return [problem('signal-sample', source.place(0, 1), 'This signal has no "type".', '{"type": "booking.paid", "data": {…}}')];
  const rule = rules.get(type);
  if (rule === undefined) {
    // A signal that only cancels needs no rule of its own.
    const isCanceling = [...rules.values()].some(({ read }) => read.content.unless === type);
    return isCanceling ? [] : [warning('signal-sample', place('type'), `No rule is on "${type}".`, didYouMean(type, rules.keys()))];
  }
  return rule.checkData(carried).map(({ path, message, hint }) =>
    problem(
      'signal-sample',
      place(
        path
          .replace(/\[\d+\]$/, '')
          .split('.')
          .pop() ?? '',
      ),
      `"data${path === '' ? '' : '.'}${path}" ${message}.`,
      hint ?? `The schema is ${rule.schemaPath}.`,
    ),
  );
}
