import { Tokenizer, TokenizerMode, type Token } from 'parse5';
import { memo } from '../formats/index.js';

export interface TagAttribute {
  readonly name: string;
  readonly value: string;
  readonly from: number;
  readonly to: number;
}

/** A tag or comment of markup that need not be a whole document, with where it is. */
export interface Tag {
  readonly kind: 'start' | 'end' | 'other';
  readonly name: string;
  readonly attributes: readonly TagAttribute[];
  readonly selfClosing: boolean;
  readonly from: number;
  readonly to: number;
}

/** Elements whose content is text and no markup (HTML 13.2.5). */
const RAW_TEXT = new Set(['style', 'xmp', 'iframe', 'noembed', 'noframes']);
const RCDATA = new Set(['title', 'textarea']);
/** Where markup ends in the middle of something. */
const CUT_OFF: ReadonlySet<string> = new Set([
  'eof-in-tag',
  'eof-in-comment',
  'eof-before-tag-name',
  'eof-in-script-html-comment-like-text',
  'incorrectly-closed-comment',
]);

export const VOID = new Set(['area', 'base', 'br', 'col', 'embed', 'hr', 'img', 'input', 'link', 'meta', 'source', 'track', 'wbr']);

/** What is reported of markup, in its order. */
interface MarkupListener {
  readonly tag: (tag: Tag) => void;
  /** Text between tags, its character references resolved. */
  readonly text?: (text: string) => void;
}

/** Goes through markup that need not be a whole document. @returns whether it ends in the middle of something */
export function walkMarkup(markup: string, { tag, text }: MarkupListener): { readonly cutOff: boolean } {
  const state = { cutOff: false, open: '' };
  const nothing = (): void => undefined;
  const add = (kind: Tag['kind'], token: Token.TagToken | Token.CommentToken | Token.DoctypeToken): void => {
    const { location } = token;
    if (location === null) return;
    const isTag = 'tagName' in token;
    tag({
      kind,
      name: isTag ? token.tagName : '',
      attributes: isTag
        ? token.attrs.map(({ name, value }) => {
            const place = 'attrs' in location ? location.attrs?.[name] : undefined;
            return { name, value, from: place?.startOffset ?? location.startOffset, to: place?.endOffset ?? location.startOffset };
          })
        : [],
      selfClosing: isTag && token.selfClosing,
      from: location.startOffset,
      to: location.endOffset,
    });
  };
  const characters =
    text === undefined
      ? nothing
      : (token: Token.CharacterToken): void => {
          text(token.chars);
        };
  const tokenizer: Tokenizer = new Tokenizer(
    { sourceCodeLocationInfo: true },
    {
      onStartTag: (token) => {
        add('start', token);
        if (RAW_TEXT.has(token.tagName)) tokenizer.state = TokenizerMode.RAWTEXT;
        else if (RCDATA.has(token.tagName)) tokenizer.state = TokenizerMode.RCDATA;
        else if (token.tagName === 'script') tokenizer.state = TokenizerMode.SCRIPT_DATA;
        else if (token.tagName === 'plaintext') tokenizer.state = TokenizerMode.PLAINTEXT;
        else return;
        tokenizer.lastStartTagName = state.open = token.tagName;
      },
      onEndTag: (token) => {
        if (token.tagName === state.open) state.open = '';
        add('end', token);
      },
      onComment: (token) => {
        add('other', token);
      },
      onDoctype: (token) => {
        add('other', token);
      },
      onCharacter: characters,
      onNullCharacter: nothing,
      onWhitespaceCharacter: characters,
      onEof: nothing,
      onParseError: ({ code }) => {
        if (CUT_OFF.has(code)) state.cutOff = true;
      },
    },
  );
  tokenizer.write(markup, true);
  return { cutOff: state.cutOff || state.open !== '' };
}

/** The tags of markup in order, and whether it ends in the middle of one. The last ones are kept: one document is looked through several times. */
export const tagsOf = memo((markup: string): { readonly tags: readonly Tag[]; readonly cutOff: boolean } => {
  const tags: Tag[] = [];
  const { cutOff } = walkMarkup(markup, { tag: (tag) => tags.push(tag) });
  return { tags, cutOff };
}, 8);
