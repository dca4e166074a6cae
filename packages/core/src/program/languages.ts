import { BLOCKS } from '../blocks/index.js';
import type { BlockUse, Verbatim } from '../notation/index.js';
import { warning, type Place, type Problem } from '../problems/index.js';
import { lookUp } from '../strings/index.js';
import type { FolderContext, ReadSource } from './context.js';
import { nodesOf } from './walk.js';

/**
 * The locales in which a template is offered, with the source for each. An email speaks one language: a locale is offered only if everything
 * that is said in it (by the template, its layout and its blocks) is there in that locale. The folder's own locale is always offered.
 */
export function localesOf(
  context: FolderContext,
  read: ReadonlyMap<string, ReadSource>,
  main: ReadSource,
  problems: Problem[],
): Map<string, ReadSource> {
  const { settings, strings } = context.project;
  const out = new Map<string, ReadSource>([[settings.locale, sourceFor(settings.locale, read, main)]]);
  const has = (locale: string, key: string): boolean =>
    lookUp(locale, '').some((tag) => tag !== '' && strings.byLocale.get(tag)?.has(key) === true);
  for (const [tag, source] of read) {
    if (tag === '' || out.has(tag)) continue;
    const { keys, prose } = said(context, sharedOf(context, source));
    const missing = [...keys, ...said(context, ownOf(source)).keys].find((key) => !has(tag, key));
    if (prose === undefined && missing === undefined) {
      out.set(tag, source);
      continue;
    }
    problems.push(
      warning(
        'half-translated',
        source.source.place(0, 0),
        prose === undefined
          ? `This is not offered in ${tag}: the string "${missing ?? ''}" has no text in ${tag}.`
          : `This is not offered in ${tag}: ${prose.file} has words of its own in line ${prose.line}.`,
        prose === undefined
          ? `Add it to strings/${tag}.json.`
          : 'Take them from strings/ with {{ say "…" }}, so that they are translated too.',
      ),
    );
  }
  const [own, shared] = [said(context, ownOf(main)), said(context, sharedOf(context, main))];
  if (own.keys.size === 0) return out;
  for (const locale of strings.byLocale.keys()) {
    if (out.has(locale) || ![...own.keys, ...shared.keys].every((key) => has(locale, key))) continue;
    const prose = own.prose ?? shared.prose;
    if (prose === undefined) out.set(locale, main);
    else if (!read.has(locale))
      problems.push(
        warning(
          'half-translated',
          prose,
          `This is not offered in ${locale}: these words are in ${settings.locale}, and the strings around them would be in ${locale}.`,
          'Take them from strings/ with {{ say "…" }}, or write a whole message for that locale.',
        ),
      );
  }
  return out;
}

function sourceFor(locale: string, read: ReadonlyMap<string, ReadSource>, main: ReadSource): ReadSource {
  const tag = lookUp(locale, '').find((text) => text !== '' && read.has(text));
  return (tag === undefined ? undefined : read.get(tag)) ?? main;
}

function ownOf(source: ReadSource): unknown[] {
  return [
    [...source.front].filter(([key]) => ['subject', 'preview', 'title'].includes(key)).map(([, value]) => value),
    [...(source.tree?.others.values() ?? [])],
    source.tree?.body,
    source.html?.body,
    source.text?.body,
  ];
}

/** The layout, and every block of the folder's own that is used, directly or through another. */
function sharedOf(context: FolderContext, source: ReadSource): unknown[] {
  const around = source.layouts.map(({ layout }) => layout.parsed.tree.body);
  const out: unknown[] = [...around, source.layouts.map(({ layout }) => [...layout.parsed.tree.others.values()])];
  const seen = new Set<string>();
  const follow = (tree: unknown): void => {
    for (const { name } of nodesOf(tree, 'block')) {
      const own = context.own.get(name);
      if (own === undefined || seen.has(name)) continue;
      seen.add(name);
      out.push(own.tree.body);
      follow(own.tree.body);
    }
  };
  follow([source.tree?.body, ...around]);
  return out;
}

interface Said {
  readonly keys: ReadonlySet<string>;
  /** Where words stand that are in one language. */
  readonly prose: Place | undefined;
}

function said(context: FolderContext, trees: readonly unknown[]): Said {
  const keys = new Set(nodesOf(trees, 'say').map(({ key }) => key));
  return { keys, prose: proseIn(trees, context.project.settings.name, undefined) };
}

const WORDS = /\p{L}{2,}/u;

/** The first place with words in it that are written out. Names stay as they are in every language: that of the folder, postal addresses, code. */
function proseIn(tree: unknown, name: string, around: Place | undefined): Place | undefined {
  if (Array.isArray(tree)) {
    const found = firstOf(tree, (child) => proseIn(child, name, around));
    if (found !== undefined) return found;
    // Markup is cut into pieces at its line ends: only the whole shows what is text and what a tag.
    const pieces = tree.filter(isVerbatimText);
    const [first] = pieces;
    return first !== undefined && WORDS.test(textOfMarkup(pieces.map((piece) => piece.text).join('')).replaceAll(name, ''))
      ? first.place
      : undefined;
  }
  if (typeof tree !== 'object' || tree === null) return undefined;
  const node = tree as { kind?: string; place?: Place; text?: string; parts?: unknown; value?: unknown };
  const place = node.place ?? around;
  switch (node.kind) {
    case 'text':
      return isVerbatimText(node) ? undefined : wordsAt(node.text ?? '', name, place);
    case 'code':
      return undefined;
    case 'block':
      return proseInBlock(tree as BlockUse, name);
    case 'binary': {
      const { operator, left, right } = tree as { operator: string; left: unknown; right: unknown };
      return operator === '+' || operator === '??' ? (proseInValue(left, name) ?? proseInValue(right, name)) : undefined;
    }
    case 'insert':
      return proseInValue(node.value, name);
    case 'member':
    case 'name':
    case 'index':
    case 'literal':
    case 'say':
      return undefined;
    case undefined:
    default:
      // A row of fixed texts and values: an address has no words, a title or an alt text has.
      return firstOf(Object.entries(tree), ([key, inner]) => {
        if (['place', 'namePlace', 'to', 'source', 'test', 'list'].includes(key)) return undefined;
        if (['alt', 'title', 'parts'].includes(key) && Array.isArray(inner)) return proseInParts(inner, name, place);
        return proseIn(inner, name, place);
      });
  }
}

function proseInParts(parts: readonly unknown[], name: string, place: Place | undefined): Place | undefined {
  return firstOf(parts, (part) => (typeof part === 'string' ? wordsAt(part, name, place) : proseInValue(part, name)));
}

/** Words that a value itself is: a written text, or one of several to choose from. */
function proseInValue(value: unknown, name: string): Place | undefined {
  const node = value as {
    kind?: string;
    value?: unknown;
    place?: Place;
    yes?: unknown;
    no?: unknown;
    left?: unknown;
    right?: unknown;
    operator?: string;
    name?: string;
    args?: unknown[];
  };
  switch (node.kind) {
    case 'literal':
      return typeof node.value === 'string' ? wordsAt(node.value, name, node.place) : undefined;
    case 'choice':
      return proseInValue(node.yes, name) ?? proseInValue(node.no, name);
    case 'binary':
      return node.operator === '+' || node.operator === '??'
        ? (proseInValue(node.left, name) ?? proseInValue(node.right, name))
        : undefined;
    case 'format':
      return proseInValue(node.value, name) ?? (node.name === 'default' ? proseInValue(node.args?.[0], name) : undefined);
    case undefined:
    default:
      return undefined;
  }
}

function proseInBlock(block: BlockUse, name: string): Place | undefined {
  if (block.name === 'postal') return undefined;
  const signature = BLOCKS.get(block.name)?.signature;
  return (
    firstOf(block.args, (arg) => {
      const kind = arg.name === undefined ? signature?.first?.kind : signature?.args.find((argument) => argument.name === arg.name)?.kind;
      return kind === 'url' || kind === 'choice' || kind === 'number' ? undefined : proseInParts(arg.parts, name, arg.place);
    }) ?? proseIn(block.content, name, block.place)
  );
}

function wordsAt(text: string, name: string, place: Place | undefined): Place | undefined {
  return WORDS.test(text.replaceAll(name, '')) ? (place ?? { file: '', line: 1, column: 1, offset: 0, length: 0 }) : undefined;
}

function isVerbatimText(node: unknown): node is Extract<Verbatim, { kind: 'text' }> {
  return (
    typeof node === 'object' &&
    node !== null &&
    (node as { kind?: unknown; text?: string }).kind === 'text' &&
    /<|>/.test((node as { text?: string }).text ?? '')
  );
}

/** Markup without its tags, comments and style sheets; what is not closed has no text. */
function textOfMarkup(markup: string): string {
  const small = markup.toLowerCase();
  let out = '';
  for (let at = 0; at < markup.length;) {
    const open = markup.indexOf('<', at);
    out += `${markup.slice(at, open === -1 ? undefined : open)} `;
    if (open === -1) break;
    const name = ['!--', 'style', 'script'].find((start) => small.startsWith(start, open + 1));
    const end = name === undefined ? '>' : name === '!--' ? '-->' : `</${name}>`;
    const close = small.indexOf(end, open);
    if (close === -1) break;
    at = close + end.length;
  }
  return out.replace(/&#?\w+;/g, ' ');
}

function firstOf<T, R>(list: readonly T[], find: (one: T) => R | undefined): R | undefined {
  for (const one of list) {
    const found = find(one);
    if (found !== undefined) return found;
  }
  return undefined;
}
