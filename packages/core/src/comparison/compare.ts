import { diffLines, diffWordsWithSpace } from 'diff';
import type { MailFiles } from '../folder/index.js';
import type { ShownLink } from '../inspect/index.js';
import { previewOf, type FolderPreview, type MailPreview } from '../preview/index.js';
import type { Problem } from '../problems/index.js';

/** What is new, and what is gone. */
interface Changes<T> {
  readonly added: readonly T[];
  readonly removed: readonly T[];
}

/** A line of a text part: with ' ' it is in both, with '-' only before, with '+' only after. */
export interface TextLine {
  readonly mark: ' ' | '-' | '+';
  readonly text: string;
}

/** A sample of a template in a language, as it was and as it is. */
export interface RenderingChange {
  readonly template: string;
  readonly sample: string;
  readonly locale: string;
  readonly change: 'added' | 'removed' | 'changed';
  /** Undefined where it is the same. */
  readonly subject?: { readonly before: string; readonly after: string };
  readonly preview?: { readonly before: string; readonly after: string };
  /** Words of the text part. */
  readonly words: Changes<string>;
  /** Lines of the text part that differ, each with one line around it. */
  readonly text: readonly TextLine[];
  readonly links: Changes<ShownLink>;
  /** Bytes of the HTML part. */
  readonly bytes: { readonly before: number; readonly after: number };
  /** The HTML parts, with the folder's pictures in them. */
  readonly html: { readonly before: string | undefined; readonly after: string | undefined };
}

/** A problem, warning or suggestion that only one of two folders has. */
export interface AdviceChange {
  readonly template: string;
  readonly change: 'added' | 'removed';
  readonly problem: Problem;
}

/** What differs between two mail folders, for the readers of their email. */
export interface Comparison {
  /** Emails that are the same to the byte. */
  readonly same: number;
  readonly renderings: readonly RenderingChange[];
  readonly advice: readonly AdviceChange[];
  /** Templates that cannot be rendered in one of the folders, with why. */
  readonly broken: readonly { readonly template: string; readonly side: 'before' | 'after'; readonly problem: Problem }[];
}

/**
 * Renders every sample of two mail folders in every language, and says what differs.
 * @param now milliseconds since the epoch, for `relative`: the same for both
 */
export function compareFolders(before: MailFiles, after: MailFiles, now: number): Comparison {
  const [old, young] = [previewOf(before), previewOf(after)];
  const names = [...new Set([...old.names, ...young.names])].sort();
  let same = 0;
  const renderings: RenderingChange[] = [];
  const advice: AdviceChange[] = [];
  const broken: Comparison['broken'][number][] = [];
  for (const name of names) {
    const [a, b] = [rendered(old, name, now), rendered(young, name, now)];
    for (const [side, { fault }] of [
      ['before', a],
      ['after', b],
    ] as const)
      if (fault !== undefined) broken.push({ template: name, side, problem: fault });
    for (const key of new Set([...a.mails.keys(), ...b.mails.keys()])) {
      const change = changeOf(a.mails.get(key), b.mails.get(key));
      if (change === undefined) same += 1;
      else {
        const [locale = '', sample = ''] = key.split('/');
        renderings.push({ template: name, sample, locale, ...change });
      }
    }
    advice.push(...adviceChanges(name, old.stateOf(name, now)?.problems ?? [], young.stateOf(name, now)?.problems ?? []));
  }
  return { same, renderings, advice, broken };
}

interface Rendered {
  /** By language and sample. */
  readonly mails: ReadonlyMap<string, MailPreview>;
  readonly fault: Problem | undefined;
}

function rendered(folder: FolderPreview, name: string, now: number): Rendered {
  const mails = new Map<string, MailPreview>();
  const state = folder.stateOf(name, now);
  const fault =
    state?.locales.length === 0
      ? (state.problems.find(({ severity }) => severity === 'error') ?? folder.problems.find(({ severity }) => severity === 'error'))
      : undefined;
  for (const locale of state?.locales ?? [])
    for (const sample of state?.samples ?? []) {
      const { mail } = folder.render(name, { sample, locale, now });
      if (mail !== undefined) mails.set(`${locale}/${sample}`, mail);
    }
  return { mails, fault };
}

type Change = Omit<RenderingChange, 'template' | 'sample' | 'locale'>;

function changeOf(before: MailPreview | undefined, after: MailPreview | undefined): Change | undefined {
  if (before !== undefined && after !== undefined && isSame(before, after)) return undefined;
  const [a, b] = [before?.text ?? '', after?.text ?? ''];
  const change = before === undefined ? 'added' : after === undefined ? 'removed' : 'changed';
  const differing = (key: 'subject' | 'preview'): Pick<Change, typeof key> =>
    before !== undefined && after !== undefined && before[key] !== after[key] ? { [key]: { before: before[key], after: after[key] } } : {};
  return {
    change,
    ...differing('subject'),
    ...differing('preview'),
    words: change === 'changed' ? wordsOf(a, b) : { added: [], removed: [] },
    text: change === 'changed' ? linesOf(a, b) : [],
    links: linkChanges(before?.links ?? [], after?.links ?? []),
    bytes: { before: before?.htmlBytes ?? 0, after: after?.htmlBytes ?? 0 },
    html: { before: before?.html, after: after?.html },
  };
}

function isSame(a: MailPreview, b: MailPreview): boolean {
  return a.subject === b.subject && a.preview === b.preview && a.text === b.text && a.htmlSource === b.htmlSource && a.html === b.html;
}

/** Words or lines that are added and removed before two texts count as different from the first to the last: looking costs their product. */
const MOST_CHANGES = 500;

/** Runs of words that only one of two texts has; how lines are broken does not count. */
function wordsOf(before: string, after: string): Changes<string> {
  const plain = (text: string): string => text.replace(/\s+/g, ' ').trim();
  const [a, b] = [plain(before), plain(after)];
  const parts = diffWordsWithSpace(a, b, { maxEditLength: MOST_CHANGES });
  if (parts === undefined) return { added: [b], removed: [a] };
  const only = (which: 'added' | 'removed'): string[] =>
    parts.filter((part) => part[which] && part.value.trim() !== '').map(({ value }) => value.trim());
  return { added: only('added'), removed: only('removed') };
}

function linesOf(before: string, after: string): TextLine[] {
  const parts = diffLines(before, after, { maxEditLength: MOST_CHANGES }) ?? [
    { value: before, removed: true, added: false },
    { value: after, removed: false, added: true },
  ];
  const all = parts.flatMap(({ value, added, removed }): TextLine[] =>
    value
      .replace(/\n$/, '')
      .split('\n')
      .map((text) => ({ mark: added ? '+' : removed ? '-' : ' ', text })),
  );
  const isNear = (i: number): boolean => [all[i - 1], all[i], all[i + 1]].some((line) => line !== undefined && line.mark !== ' ');
  return all.filter((_, i) => isNear(i));
}

function linkChanges(before: readonly ShownLink[], after: readonly ShownLink[]): Changes<ShownLink> {
  const without = (list: readonly ShownLink[], others: readonly ShownLink[]): ShownLink[] => {
    const left = others.map(({ text, href }) => `${text}\n${href}`);
    return list.filter(({ text, href }) => {
      const at = left.indexOf(`${text}\n${href}`);
      if (at !== -1) left.splice(at, 1);
      return at === -1;
    });
  };
  return { added: without(after, before), removed: without(before, after) };
}

function adviceChanges(template: string, before: readonly Problem[], after: readonly Problem[]): AdviceChange[] {
  const key = ({ code, message }: Problem): string => `${code}\n${message}`;
  const [a, b] = [new Set(before.map(key)), new Set(after.map(key))];
  const only = (list: readonly Problem[], others: ReadonlySet<string>, change: AdviceChange['change']): AdviceChange[] =>
    [...new Map(list.map((problem) => [key(problem), problem])).values()]
      .filter((problem) => !others.has(key(problem)))
      .map((problem) => ({ template, change, problem }));
  return [...only(after, a, 'added'), ...only(before, b, 'removed')];
}
