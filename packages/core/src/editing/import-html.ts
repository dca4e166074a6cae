import { isTag, isText, type ChildNode, type Document, type Element } from 'domhandler';
import { parse } from 'parse5';
import { adapter } from 'parse5-htmlparser2-tree-adapter';
import { SourceText } from '../problems/index.js';
import { placeholderPattern } from './placeholders.js';

/** A page of HTML to be made a template. */
export interface ImportInput {
  readonly text: string;
  /** How the page marks values: "name" in each stands for the name of the value, as in `%name%` or `[[name]]`. */
  readonly placeholders: readonly string[];
  /** The bytes of a file beside the page, by its address in the page; undefined where there is none. */
  readonly beside: (address: string) => Uint8Array | undefined;
}

/** Something of the page that stayed as it was, or that needs a person. */
export interface ImportNote {
  /** From 1, in the page. */
  readonly line: number;
  readonly message: string;
}

/** A page as a template. */
export interface Imported {
  /** `message.html`: front matter, then the page, byte for byte but for placeholders, addresses of pictures, and what would mean something else. */
  readonly source: string;
  /** A proposed data schema of the placeholders. */
  readonly schema: Readonly<Record<string, unknown>>;
  /** Paths of the values, and how often the page has each of them. */
  readonly values: ReadonlyMap<string, number>;
  /** Pictures and style sheets by their path in the mail folder. */
  readonly files: ReadonlyMap<string, Uint8Array>;
  readonly notes: readonly ImportNote[];
}

/** A change of the page: `[from, to)` becomes `text`. */
interface Change {
  readonly from: number;
  readonly to: number;
  readonly text: string;
}

type Located = ChildNode & {
  readonly sourceCodeLocation?: {
    readonly startOffset: number;
    readonly attrs?: Readonly<Record<string, { readonly startOffset: number; readonly endOffset: number }>>;
  };
};

/** Makes a template of a page. Never fails: what cannot be converted stays as it is and is noted. */
export function importHtml({ text, placeholders, beside }: ImportInput): Imported {
  const source = new SourceText('', text);
  const notes: ImportNote[] = [];
  const note = (offset: number, message: string): void => {
    notes.push({ line: source.place(offset).line, message });
  };
  const document = parse(text, { treeAdapter: adapter, sourceCodeLocationInfo: true });
  const found = valuesIn(text, placeholders);
  const pictures = filesIn(document, text, {
    beside,
    note,
    isTaken: (from, to) => within(found, from, to).length > 0,
  });
  const changes = [...found.map(({ from, to, path }): Change => ({ from, to, text: `{{ ${path} }}` })), ...pictures.changes];
  for (const literal of literals(text, changes, note)) changes.push(literal);
  noteForeign(document, note);
  const values = new Map<string, number>();
  for (const { path } of found) values.set(path, (values.get(path) ?? 0) + 1);
  noteClashes(found, note);
  const subject = subjectOf(document, found);
  const body = changed(text, changes);
  return {
    source: `---\nsubject: ${JSON.stringify(subject)}\n---\n${body}`,
    schema: schemaOf(values, wholeAddresses(document, found)),
    values,
    files: pictures.files,
    notes: notes.sort((a, b) => a.line - b.line),
  };
}

/** A placeholder in the page, with the path of the value that it becomes. */
interface Value {
  readonly from: number;
  readonly to: number;
  readonly written: string;
  readonly path: string;
}

function valuesIn(text: string, placeholders: readonly string[]): Value[] {
  const all = placeholders.flatMap((placeholder, rank) =>
    [...text.matchAll(placeholderPattern(placeholder))].map(({ index, 0: whole, 1: name = '' }) => ({
      rank,
      value: { from: index, to: index + whole.length, written: name, path: pathOf(name) },
    })),
  );
  // Where two patterns take the same signs, the one that begins first has them, or else the one that was given first.
  all.sort((a, b) => a.value.from - b.value.from || a.rank - b.rank);
  const out: Value[] = [];
  for (const { value } of all) if (value.from >= (out.at(-1)?.to ?? 0)) out.push(value);
  return out;
}

/** The values that touch a stretch of the page; values are in the order of the page. */
function within(values: readonly Value[], from: number, to: number): Value[] {
  let low = 0;
  let high = values.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if ((values[middle]?.to ?? 0) <= from) low = middle + 1;
    else high = middle;
  }
  const out: Value[] = [];
  for (let i = low; i < values.length && (values[i]?.from ?? to) < to; i += 1) out.push(values[i] as Value);
  return out;
}

/** Words of the language, which no path begins with. */
const RESERVED = new Set([
  'mail',
  'and',
  'or',
  'not',
  'true',
  'false',
  'null',
  'say',
  'in',
  'if',
  'else',
  'each',
  'between',
  'empty',
  'end',
]);

/** "first-name" is not valid as a name in expressions and becomes "first_name"; "order.total" is a path already. */
function pathOf(name: string): string {
  const path = name
    .split('.')
    .filter((word) => word !== '')
    .map((word) => word.replace(/[^\p{L}\p{N}_]/gu, '_').replace(/^(?=\p{N})/u, '_'));
  const [first = 'value', ...rest] = path;
  return [RESERVED.has(first) ? `${first}_` : first, ...rest].join('.');
}

/** Two names that became the same path, and a path that would be both a text and a record. */
function noteClashes(values: readonly Value[], note: (offset: number, message: string) => void): void {
  const names = new Map<string, Set<string>>();
  const first = new Map<string, number>();
  for (const { path, written, from } of values) {
    const known = names.get(path) ?? new Set<string>();
    const [other] = known;
    if (other !== undefined && !known.has(written)) note(from, `"${written}" and "${other}" both became "${path}". Rename one of them.`);
    names.set(path, known.add(written));
    if (!first.has(path)) first.set(path, from);
  }
  const records = new Set([...names.keys()].flatMap((path) => prefixesOf(path)));
  for (const [path, from] of first)
    if (records.has(path)) note(from, `"${path}" is a value here and a record of values elsewhere. Rename one of them.`);
}

/** "a.b.c": "a", "a.b". */
function prefixesOf(path: string): string[] {
  const steps = path.split('.');
  return steps.slice(1).map((_, i) => steps.slice(0, i + 1).join('.'));
}

/** Braces and lines of the page that mean something in a template: they are written so that they stay what they are. */
function literals(text: string, changes: readonly Change[], note: (offset: number, message: string) => void): Change[] {
  const out: Change[] = [];
  const taken = [...changes].sort((a, b) => a.from - b.from);
  let next = 0;
  let last = 0;
  for (const { index } of text.matchAll(/\{\{/g)) {
    while ((taken[next]?.to ?? Infinity) <= index) next += 1;
    if (index < last || (taken[next]?.from ?? Infinity) <= index) continue;
    last = index + 2;
    // Four braces are two that are shown.
    out.push({ from: index, to: last, text: '{{{{' });
    note(index, 'These braces stay as text: no placeholder pattern takes them for a value.');
  }
  for (const { index } of text.matchAll(/^[ \t]*(?:::(?:let\b|#(?=[ \t]|$))|:::(?:if|else|else-if|each|empty)?(?=[ \t]|$))/gm))
    note(index, 'This line begins like a directive and would be read as one. Write it otherwise.');
  return out;
}

const WEB = /^(?:[a-z][a-z0-9+.-]*:|\/\/)/i;
const DATA = /^data:image\/([a-z0-9.+-]+);base64,([A-Za-z0-9+/=\s]+)$/i;

interface FileInput extends Pick<ImportInput, 'beside'> {
  readonly note: (offset: number, message: string) => void;
  readonly isTaken: (from: number, to: number) => boolean;
}

/** What an element of a page loads: pictures, and the style sheets of `<link>`. */
function loadedBy(element: Element): { readonly name: string; readonly folder: 'assets' | 'styles' }[] {
  if (element.name === 'link') return /stylesheet/i.test(element.attribs['rel'] ?? '') ? [{ name: 'href', folder: 'styles' }] : [];
  return [...(element.name === 'img' ? [{ name: 'src', folder: 'assets' as const }] : []), { name: 'background', folder: 'assets' }];
}

/** Files beside the page, and pictures that are data in it, become files of the mail folder. */
function filesIn(
  document: Document,
  text: string,
  { beside, note, isTaken }: FileInput,
): { readonly changes: Change[]; readonly files: Map<string, Uint8Array> } {
  const changes: Change[] = [];
  const files = new Map<string, Uint8Array>();
  const paths = new Map<string, string>();
  for (const element of elementsOf(document))
    for (const { name, folder } of loadedBy(element))
      for (const { address, from, to } of attribute(element, name, text)) {
        const data = DATA.exec(address);
        const key = data === null ? (address.split(/[?#]/, 1)[0] ?? '') : address;
        if (from === to && !WEB.test(element.attribs[name] ?? ''))
          note(from, 'This address is written with escapes (&…;), and stays as it is.');
        if (address === '' || isTaken(from, to) || (data === null && folder === 'assets' && WEB.test(address))) continue;
        const bytes = data === null ? (WEB.test(address) ? undefined : beside(address)) : Buffer.from(data[2] ?? '', 'base64');
        if (bytes === undefined) {
          note(
            from,
            folder === 'styles'
              ? `The style sheet "${address}" is not loaded by mail clients, and no file beside the page. Put it into styles/.`
              : `There is no file "${address}" beside the page. Put the picture into assets/.`,
          );
          continue;
        }
        let path = paths.get(key);
        if (path === undefined) {
          const file = data === null ? address : `picture.${(data[1] ?? 'png').replace('svg+xml', 'svg').replace('jpeg', 'jpg')}`;
          path = freeName(folder, file, files);
          paths.set(key, path);
          files.set(path, bytes);
        }
        changes.push({ from, to, text: path });
      }
  return { changes, files };
}

/** The last step of an address as a path in a folder that is not taken yet. */
function freeName(folder: string, address: string, taken: ReadonlyMap<string, unknown>): string {
  const [plain = ''] = address.split(/[?#]/, 1);
  const name = plain.slice(Math.max(plain.lastIndexOf('/'), plain.lastIndexOf('\\')) + 1).replace(/[^\w.-]+/g, '-') || 'file';
  const dot = name.lastIndexOf('.');
  const [base, type] = dot <= 0 ? [name, ''] : [name.slice(0, dot), name.slice(dot)];
  for (let i = 1; ; i += 1) {
    const path = `${folder}/${base}${i === 1 ? '' : `-${i}`}${type}`;
    if (!taken.has(path)) return path;
  }
}

/** The value of an attribute with its offsets, where it is written without escapes. */
function attribute(
  element: Element,
  name: string,
  text: string,
): { readonly address: string; readonly from: number; readonly to: number }[] {
  const address = element.attribs[name];
  const at = (element as Located).sourceCodeLocation?.attrs?.[name];
  if (address === undefined || at === undefined) return [];
  const written = text.slice(at.startOffset, at.endOffset);
  const within = written.indexOf(address, name.length);
  return within === -1
    ? [{ address: '', from: at.startOffset, to: at.startOffset }]
    : [{ address: address.trim(), from: at.startOffset + within, to: at.startOffset + within + address.length }];
}

/** What comes from elsewhere, which an email cannot have. */
function noteForeign(document: Document, note: (offset: number, message: string) => void): void {
  for (const element of elementsOf(document)) {
    const at = (element as Located).sourceCodeLocation?.startOffset ?? 0;
    if (/url\((?!\s*["']?(?:https?:|data:|\/\/))/i.test(element.attribs['style'] ?? ''))
      note(at, 'The picture in this style is a file beside the page. Give it a whole address.');
  }
}

/** Values that are the whole address of a link or a picture. */
function wholeAddresses(document: Document, values: readonly Value[]): Set<string> {
  const out = new Set<string>();
  for (const element of elementsOf(document)) {
    const { attrs = {} } = (element as Located).sourceCodeLocation ?? {};
    for (const name of ['href', 'src', 'background']) {
      const at = attrs[name];
      const address = element.attribs[name]?.trim() ?? '';
      const inside = at === undefined ? [] : within(values, at.startOffset, at.endOffset);
      const [only] = inside;
      if (inside.length === 1 && only !== undefined && address.length === only.to - only.from) out.add(only.path);
    }
  }
  return out;
}

interface Branch {
  readonly fields: Map<string, Branch>;
  readonly path: string;
}

function schemaOf(values: ReadonlyMap<string, number>, addresses: ReadonlySet<string>): Record<string, unknown> {
  const root: Branch = { fields: new Map(), path: '' };
  for (const path of values.keys()) {
    let at = root;
    for (const name of path.split('.')) {
      const inner: Branch = at.fields.get(name) ?? { fields: new Map(), path: at.path === '' ? name : `${at.path}.${name}` };
      at.fields.set(name, inner);
      at = inner;
    }
  }
  const schema = ({ fields, path }: Branch): Record<string, unknown> => {
    if (fields.size === 0 && path !== '') return { type: 'string', ...(addresses.has(path) ? { format: 'uri' } : {}) };
    const properties = Object.fromEntries([...fields].map(([name, inner]) => [name, schema(inner)]));
    return { type: 'object', ...(fields.size === 0 ? {} : { required: [...fields.keys()], properties }) };
  };
  return { $schema: 'https://json-schema.org/draft/2020-12/schema', ...schema(root) };
}

/** The title of the page, with its placeholders, as the subject. */
function subjectOf(document: Document, values: readonly Value[]): string {
  const title = elementsOf(document).find(({ name }) => name === 'title');
  const [text] = title?.children ?? [];
  const start = (text as Located | undefined)?.sourceCodeLocation?.startOffset;
  if (text === undefined || !isText(text) || start === undefined || text.data.trim() === '') return 'Subject';
  const inside = within(values, start, start + text.data.length);
  const own = inside.map(({ from, to, path }): Change => ({ from: from - start, to: to - start, text: `{{ ${path} }}` }));
  return changed(text.data, own).replace(/\s+/g, ' ').trim();
}

function changed(text: string, changes: readonly Change[]): string {
  const out: string[] = [];
  let last = 0;
  for (const { from, to, text: by } of [...changes].sort((a, b) => a.from - b.from)) {
    out.push(text.slice(last, from), by);
    last = to;
  }
  return out.join('') + text.slice(last);
}

/** The elements of a document in the order of the page; without recursion, since pages nest as deeply as they like. */
function elementsOf(document: Document): Element[] {
  const out: Element[] = [];
  const left: ChildNode[] = [...document.children].reverse();
  for (let next = left.pop(); next !== undefined; next = left.pop()) {
    if (!isTag(next)) continue;
    out.push(next);
    for (let i = next.children.length - 1; i >= 0; i -= 1) left.push(next.children[i] as ChildNode);
  }
  return out;
}
