import { FORMATS, type Format, type FormatArgument } from '../formats/index.js';
import { parseExpression, parseInsertion, tokenize, type Expression, type Token } from '../notation/index.js';
import { SourceText } from '../problems/index.js';
import { fits, inWords, type RecordMember, type Type } from '../typing/index.js';
import { valuesOf, type Completion } from './completion.js';
import { readFile, usersOfLayout, type EditedFolder, type ReadFile, type Seen } from './folder.js';
import { STEERING_WORDS } from './words.js';

/** Stands where something is being typed; no name in a folder is this one. */
const MARK = 'verbalis_is_typed_here';

interface Typed {
  readonly text: string;
  readonly offset: number;
  /** Where the expression begins. */
  readonly from: number;
  readonly braces: boolean;
}

/** What can be written at an offset in an expression. The expression is read with a mark in place of the word that is typed. */
export function completeExpression(folder: EditedFolder, path: string, typed: Typed): Completion[] {
  const { text, offset, from } = typed;
  const source = new SourceText(path, text.slice(0, offset));
  const tokens = tokenize(source, from, offset, []).slice(0, -1);
  const last = tokens.at(-1);
  const isString = last?.kind === 'string' && !isClosed(last);
  const isWord = last?.kind === 'name' && last.offset + last.length === offset;
  const before = isString || isWord ? tokens.slice(0, -1) : tokens;
  const start = isString ? last.offset + 1 : isWord ? last.offset : offset;
  const range = { from: start, to: offset };
  const prior = before.at(-1);
  if (isString && prior?.kind === 'name' && prior.text === 'say') return stringKeys(folder, range);
  const read = readMarked(folder, path, typed, { start, isString });
  if (isString) return read === undefined ? [] : inString(read, range);
  if (prior?.text === '|') return formatters(read, range);
  if (prior?.text === '.') return read === undefined ? [] : members(read, range);
  // A number or a closed value is followed by an operator.
  const names = read === undefined ? [] : namesInReach(folder, path, read, range);
  const call = callBefore(before);
  return [
    ...(call === undefined ? [] : argumentsOfCall(folder, call, before, range)),
    ...names,
    ...(typed.braces && before.length === 0 ? steeringWords(range) : []),
    ...(before.length === 0 || prior?.text === '(' || prior?.text === ':'
      ? [word('say', STEERING_WORDS['say'], { insert: 'say "', ...range })]
      : []),
  ];
}

interface Range {
  readonly from: number;
  readonly to: number;
}

function isClosed({ text }: Token): boolean {
  return text.length > 1 && text.endsWith(text[0] ?? '');
}

function word(label: string, detail: string | undefined, rest: Range & { readonly insert?: string }): Completion {
  return { label, kind: 'word', ...(detail === undefined ? {} : { detail }), insert: rest.insert ?? label, from: rest.from, to: rest.to };
}

function steeringWords(range: Range): Completion[] {
  return Object.entries(STEERING_WORDS)
    .filter(([name]) => name !== 'say')
    .map(([name, detail]) => word(name, detail, range));
}

/** The file, read with the mark in place of what is typed. */
interface Marked {
  readonly read: ReadFile;
  /** The mark, as a name or as a text, with what it is a part of. */
  readonly seen: readonly Seen[];
}

/** What closes an expression that is not finished, from the likeliest on. */
function endings(open: string): string[] {
  const closers = [...open]
    .reverse()
    .map((char) => (char === '(' ? ')' : ']'))
    .join('');
  return [closers, `${closers} : ""`, `${closers} ? "" : ""`];
}

function readMarked(
  folder: EditedFolder,
  path: string,
  { text, offset, from, braces }: Typed,
  { start, isString }: { readonly start: number; readonly isString: boolean },
): Marked | undefined {
  const quote = isString ? (text[start - 1] ?? '"') : '';
  const prefix = `${text.slice(from, start)}${MARK}${quote}`;
  const open = bracketsOpen(new SourceText(path, prefix));
  const lineEnd = endOf(text, offset, '\n');
  const close = braces ? text.indexOf('}}', offset) : -1;
  const isClosedHere = close !== -1 && close < lineEnd && !text.slice(offset, close).includes('{{');
  // What follows in the expression is left out: it may be the part that is not finished yet.
  const rest = text.slice(braces ? (isClosedHere ? close + 2 : offset) : lineEnd);
  for (const ending of endings(open)) {
    const body = `${prefix}${ending}`;
    if (!isExpression(path, body, { braces })) continue;
    const marked = `${text.slice(0, from)}${body}${braces ? ' }}' : ''}${rest}`;
    const read = readFile(folder, path, marked);
    const seen = read?.seen.filter(({ expression }) => isMarked(expression)) ?? [];
    if (read !== undefined && seen.length > 0) return { read, seen };
  }
  return undefined;
}

function endOf(text: string, from: number, mark: string): number {
  const at = text.indexOf(mark, from);
  return at === -1 ? text.length : at;
}

function bracketsOpen(source: SourceText): string {
  let open = '';
  for (const { kind, text } of tokenize(source, 0, source.text.length, [])) {
    if (kind !== 'sign') continue;
    if (text === '(' || text === '[') open += text;
    if (text === ')' || text === ']') open = open.slice(0, -1);
  }
  return open;
}

function isExpression(path: string, text: string, { braces }: { readonly braces: boolean }): boolean {
  const source = new SourceText(path, text);
  const read = braces ? parseInsertion(source, 0, text.length, []) : parseExpression(source, 0, text.length, []);
  return read !== undefined;
}

function isMarkLiteral(expression: Expression | undefined): boolean {
  return expression?.kind === 'literal' && expression.value === MARK;
}

/** Whether the mark is this expression, its name, or one of its texts. */
function isMarked(expression: Expression): boolean {
  switch (expression.kind) {
    case 'name':
    case 'member':
      return expression.name === MARK;
    case 'format':
      return expression.name === MARK || expression.args.some(isMarkLiteral);
    case 'binary':
      return isMarkLiteral(expression.left) || isMarkLiteral(expression.right);
    case 'index':
      return isMarkLiteral(expression.at);
    case 'choice':
    case 'literal':
    case 'say':
    case 'unary':
    default:
      return false;
  }
}

function find<K extends Expression['kind']>(
  { seen }: Marked,
  kind: K,
): (Seen & { readonly expression: Extract<Expression, { kind: K }> }) | undefined {
  return seen.find(({ expression }) => expression.kind === kind) as
    | (Seen & { readonly expression: Extract<Expression, { kind: K }> })
    | undefined;
}

/** The fields of the records among what a type can be. */
function fieldsOf(type: Type | undefined): { readonly name: string; readonly type: Type }[] {
  const records = (type?.members ?? []).filter((member): member is RecordMember => member.kind === 'record');
  const names = new Set(records.flatMap((record) => record.names));
  return [...names].flatMap((name) => {
    const field = records.map((record) => record.field(name)).find((found) => found !== undefined);
    return field === undefined ? [] : [{ name, type: field.type }];
  });
}

/** @param known what conditions around have found out about a field */
const asFields = (type: Type | undefined, range: Range, known: (name: string) => Type | undefined = () => undefined): Completion[] =>
  fieldsOf(type).map(({ name, type: of }) => ({ label: name, kind: 'field', detail: inWords(known(name) ?? of), insert: name, ...range }));

function members(marked: Marked, range: Range): Completion[] {
  const member = find(marked, 'member');
  if (member === undefined) return [];
  const { expression, scope } = member;
  return asFields(marked.read.types.get(expression.of), range, (name) => scope.knownType(scope.pathOf({ ...expression, name }) ?? ''));
}

/** What can stand between the quotes of a text: a field's name, or a value of what it is compared with. */
function inString(marked: Marked, range: Range): Completion[] {
  const { types } = marked.read;
  const index = find(marked, 'index');
  if (index !== undefined) return asFields(types.get(index.expression.of), range);
  const binary = find(marked, 'binary');
  if (binary !== undefined) {
    const { left, right } = binary.expression;
    return asValues(valuesOf(types.get(isMarkLiteral(left) ? right : left)), range);
  }
  const format = find(marked, 'format');
  if (format === undefined) return [];
  const { name, args, value } = format.expression;
  const given = args.findIndex(isMarkLiteral);
  const wanted = FORMATS.get(name)?.args[given];
  if (wanted?.kind !== 'field') return asValues(choicesOf(wanted), range);
  const entries = (types.get(value)?.members ?? []).flatMap((entry) => (entry.kind === 'list' ? [entry.of()] : []));
  return entries.flatMap((entry) => asFields(entry, range));
}

const asValues = (values: readonly string[], range: Range): Completion[] =>
  values.map((value) => ({ label: value, kind: 'value', insert: value, ...range }));

function choicesOf(argument: FormatArgument | undefined): readonly string[] {
  return argument?.choices ?? [];
}

function takes(format: Format, type: Type | undefined): boolean {
  const members = type?.members ?? [];
  return members.length === 0 || members.every((member) => format.takes.some((kind) => fits(member, kind)));
}

function formatters(marked: Marked | undefined, range: Range): Completion[] {
  const value = marked === undefined ? undefined : find(marked, 'format')?.expression.value;
  const type = value === undefined ? undefined : marked?.read.types.get(value);
  return [...FORMATS.values()].map((format) => ({
    label: format.name,
    kind: 'formatter',
    detail: format.summary,
    insert: format.name,
    ...range,
    ...(takes(format, type) ? {} : { isUnfit: true }),
  }));
}

function namesInReach(folder: EditedFolder, path: string, marked: Marked, range: Range): Completion[] {
  const name = find(marked, 'name');
  if (name === undefined) return [];
  const { scope } = name;
  const shared = sharedFields(folder, path);
  return scope.all
    .map((label): Completion => {
      const local = scope.type(label);
      const field = fieldsOf(scope.data).find(({ name: own }) => own === label);
      const type = local ?? field?.type;
      return {
        label,
        kind: local === undefined ? 'field' : 'name',
        ...(type === undefined ? {} : { detail: inWords(type) }),
        insert: label,
        ...range,
      };
    })
    .filter(({ kind, label }) => kind === 'name' || shared === undefined || shared(label));
}

/** Whether every template that a layout is for has a field; undefined for a file that is no layout. */
function sharedFields(folder: EditedFolder, path: string): ((name: string) => boolean) | undefined {
  const layout = /^layouts\/([^/]+)\.md$/.exec(path)?.[1];
  if (layout === undefined) return undefined;
  const schemas = usersOfLayout(folder, layout).map(({ schema }) => (typeof schema === 'boolean' ? {} : schema));
  return (name) => schemas.every(({ properties }) => Object.hasOwn(properties ?? {}, name));
}

function stringKeys({ project }: EditedFolder, range: Range): Completion[] {
  const texts = project.strings.byLocale.get(project.settings.locale);
  return [...project.strings.names.keys()].map((key) => {
    const text = texts?.get(key);
    return { label: key, kind: 'string', ...(text === undefined ? {} : { detail: text }), insert: key, ...range };
  });
}

/** The formatter or text that arguments are being given to. */
type Call =
  | { readonly kind: 'format'; readonly format: Format; readonly at: number }
  | { readonly kind: 'say'; readonly key: string; readonly at: number };

function callBefore(tokens: readonly Token[]): Call | undefined {
  for (let at = tokens.length - 1; at >= 0; at -= 1) {
    const [token, prior, next] = [tokens[at], tokens[at - 1], tokens[at + 1]];
    if (token?.kind === 'sign' && ['(', '?', ':', ',', '|'].includes(token.text)) return undefined;
    if (token?.kind !== 'name') continue;
    if (token.text === 'say' && next?.kind === 'string') return { kind: 'say', key: String(next.value), at };
    const format = prior?.text === '|' ? FORMATS.get(token.text) : undefined;
    if (format !== undefined) return { kind: 'format', format, at };
    if (prior?.text === '|') return undefined;
  }
  return undefined;
}

function argumentsOfCall({ project }: EditedFolder, call: Call, before: readonly Token[], range: Range): Completion[] {
  // After "name=" a value follows.
  if (before.at(-1)?.text === '=') return [];
  const given = before.slice(call.at + 1);
  const used = new Set(given.filter((_, i) => given[i + 1]?.text === '=').map(({ text }) => text));
  const argument = (name: string, detail: string): Completion => ({ label: name, kind: 'argument', detail, insert: `${name}=`, ...range });
  if (call.kind === 'say') {
    const names = [...(project.strings.names.get(call.key) ?? [])];
    return names.filter(([name]) => !used.has(name)).map(([name, uses]) => argument(name, [...uses].join(', ')));
  }
  const { args } = call.format;
  const position = given.filter(({ kind }, i) => (kind === 'string' || kind === 'number') && given[i - 1]?.text !== '=').length;
  const choices = choicesOf(args[position]).map((value): Completion => ({
    label: `"${value}"`,
    kind: 'value',
    insert: `"${value}"`,
    ...range,
  }));
  return [...choices, ...args.filter(({ name }) => !used.has(name)).map(({ name, kind }) => argument(name, kind))];
}
