export type Family = 'word-engine' | 'webmail-without-style' | 'webmail-with-prefixes' | 'webkit' | 'gecko';

/** Families of mail clients, by what shows their HTML. */
export const FAMILY_WORDS: Readonly<Record<Family, string>> = {
  'word-engine': 'desktop clients that show HTML with a word processor',
  'webmail-without-style': 'webmail that takes <style> away',
  'webmail-with-prefixes': 'webmail that renames classes',
  webkit: 'clients on phones and desktops that use WebKit',
  gecko: 'clients that use Gecko',
};

/** A feature of CSS that some families ignore, and what their readers see instead. */
export interface CssFeature {
  /** Left out: any. */
  readonly property?: RegExp;
  /** Only for values like this. */
  readonly value?: RegExp;
  readonly ignoredBy: readonly Family[];
  readonly instead: string;
}

export const CSS_FEATURES: readonly CssFeature[] = [
  {
    property: /^display$/,
    value: /\b(?:flex|inline-flex)\b/,
    ignoredBy: ['word-engine', 'webmail-without-style'],
    instead: 'the boxes stand under each other',
  },
  {
    property: /^display$/,
    value: /\bgrid\b/,
    ignoredBy: ['word-engine', 'webmail-without-style', 'webmail-with-prefixes'],
    instead: 'the cells stand under each other',
  },
  {
    property: /^position$/,
    value: /\b(?:absolute|fixed|sticky|relative)\b/,
    ignoredBy: ['word-engine', 'webmail-without-style', 'webmail-with-prefixes'],
    instead: 'the element stays where the text flow puts it',
  },
  { property: /^float$/, ignoredBy: ['word-engine'], instead: 'the element stands on a line of its own' },
  {
    property: /^(?:background|background-image)$/,
    value: /url\(|gradient\(/,
    ignoredBy: ['word-engine'],
    instead: 'the plain background colour shows, or none',
  },
  { property: /^box-shadow$|^text-shadow$/, ignoredBy: ['word-engine', 'webmail-without-style'], instead: 'there is no shadow' },
  {
    property: /^object-fit$|^clip-path$|^mask/,
    ignoredBy: ['word-engine', 'webmail-without-style', 'webmail-with-prefixes'],
    instead: 'the picture is shown whole or stretched',
  },
  {
    property: /^(?:transform|animation|transition)/,
    ignoredBy: ['word-engine', 'webmail-without-style', 'webmail-with-prefixes'],
    instead: 'nothing moves or turns',
  },
  {
    value: /var\(/,
    ignoredBy: ['word-engine', 'webmail-without-style', 'webmail-with-prefixes'],
    instead: 'the declaration is dropped',
  },
  { value: /calc\(|clamp\(/, ignoredBy: ['word-engine', 'webmail-without-style'], instead: 'the declaration is dropped' },
  { property: /^opacity$/, ignoredBy: ['word-engine'], instead: 'the element is opaque' },
  { value: /\d(?:rem|vw|vh)\b/, ignoredBy: ['word-engine'], instead: 'the size is the usual one' },
];
