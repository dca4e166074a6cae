export type Family = 'word-engine' | 'webmail-without-style' | 'webmail-with-prefixes' | 'webkit' | 'gecko';

/** Families of mail clients, by what shows their HTML. */
export const FAMILY_WORDS: Readonly<Record<Family, string>> = {
  'word-engine': 'desktop clients that show HTML with a word processor',
  'webmail-without-style': 'webmail that removes <style>',
  'webmail-with-prefixes': 'webmail that renames classes',
  webkit: 'clients on phones and desktops that use WebKit',
  gecko: 'clients that use Gecko',
};

/** A fact about CSS in mail clients: what some families do with a declaration, and what their readers see. */
export interface CssFeature {
  /** Left out: any. */
  readonly property?: RegExp;
  /** Only for values like this. */
  readonly value?: RegExp;
  /** Only on these elements. */
  readonly element?: RegExp;
  readonly families: readonly Family[];
  /** What the readers see there. */
  readonly instead: string;
  /** What to do about it. */
  readonly note?: string;
  /** Where a plain value of the same property before it makes it harmless. */
  readonly fallback?: true;
  /** When this was last looked at, as year and month. */
  readonly seen: string;
}

const WORD: readonly Family[] = ['word-engine'];
const BARE: readonly Family[] = ['word-engine', 'webmail-without-style'];
const THREE: readonly Family[] = ['word-engine', 'webmail-without-style', 'webmail-with-prefixes'];
const STANDING = 'the boxes stand under each other';
const DROPPED = 'the declaration is dropped';

const fact = (
  [property, value]: readonly [RegExp | undefined, RegExp?],
  families: readonly Family[],
  instead: string,
  more: Partial<CssFeature> = {},
): CssFeature => ({
  ...(property === undefined ? {} : { property }),
  ...(value === undefined ? {} : { value }),
  families,
  instead,
  seen: '2026-11',
  ...more,
});

export const CSS_FEATURES: readonly CssFeature[] = [
  // Layout
  fact([/^display$/, /\b(?:inline-)?flex\b/], BARE, STANDING, { note: 'Lay out with tables, or with boxes of "display:inline-block".' }),
  fact([/^display$/, /\b(?:inline-)?grid\b/], THREE, 'the cells stand under each other', { note: 'Lay out with tables.' }),
  fact([/^display$/, /\binline-block\b/], WORD, STANDING, {
    note: 'Put a ghost table around it in a conditional comment.',
    element: /^(?:div|span|section)$/,
  }),
  fact([/^display$/, /\bcontents\b|\bflow-root\b/], THREE, 'the element stays a box'),
  fact([/^position$/, /\b(?:absolute|fixed|sticky|relative)\b/], THREE, 'the element stays where the text flow puts it'),
  fact([/^(?:top|right|bottom|left|inset|z-index)$/], THREE, 'nothing is moved'),
  fact([/^float$/], WORD, 'the element stands on a line of its own', { note: 'Use "align" on a table or picture.' }),
  fact([/^clear$/], WORD, 'the element stands where it would without it'),
  fact([/^(?:flex|order|align-(?:items|content|self)|justify-(?:content|items|self))(?:-|$)/], BARE, STANDING),
  fact([/^(?:grid|place-)/], THREE, 'the cells stand under each other'),
  fact([/^(?:row-|column-)?gap$/], THREE, 'there is no gap between the boxes', { note: 'Use padding in cells.' }),
  fact([/^column(?:s|-count|-width|-rule)/], THREE, 'the text has one column'),
  fact([/^overflow(?:-[xy])?$/, /hidden|scroll|auto/], BARE, 'what is too large is shown, or widens the mail'),
  fact([/^visibility$/, /hidden/], BARE, 'the element is shown', { note: 'Use "display:none" and "mso-hide:all".' }),
  fact([/^(?:aspect-ratio|object-fit|object-position)$/], THREE, 'the picture is shown whole or stretched', {
    note: 'Cut the picture to its size.',
  }),
  fact([/^(?:box-sizing)$/], WORD, 'padding adds to the width'),
  fact([/^(?:writing-mode|text-orientation)$/], THREE, 'the text runs as usual'),
  // Sizes and spaces
  fact([/^max-width$/], WORD, 'the element takes all the room', { note: 'Give a width to a table in a conditional comment.' }),
  fact([/^(?:min-width|max-height|min-height)$/], WORD, 'the element takes the room that it needs', { note: 'Use "width" and "height".' }),
  fact([/^margin/, /(?:^|[\s(])-\d*\.?\d/], THREE, 'the element stays in its place', { note: 'Lay out without negative margins.' }),
  fact([/^padding/], WORD, 'the link has no room around it', {
    element: /^a$/,
    note: 'Put the padding in a cell, or use a button in VML ("::action" does).',
  }),
  fact([/^padding/], WORD, 'there is no room in it', { element: /^(?:p|div|span|img)$/, note: 'Put the padding in a cell.' }),
  fact([/^margin/, /auto/], WORD, 'it is flush left', { element: /^(?:div|p|img)$/, note: 'Use align="center" on the cell.' }),
  fact([/^margin/], WORD, 'there is no space around it', { element: /^(?:img|a|span|td|th)$/, note: 'Use padding in a cell.' }),
  fact([/^(?:width|height)$/, /%/], WORD, 'the picture has its own size', {
    element: /^img$/,
    note: 'Give it width and height in pixels.',
  }),
  fact([/^width$/], WORD, 'the box is as wide as all the room', { element: /^(?:div|p|span|a)$/, note: 'Use a table with a width.' }),
  fact([undefined, /\d(?:rem|vw|vh|vmin|vmax)\b/], WORD, 'the size is the usual one', { note: 'Use px.' }),
  fact([undefined, /\d(?:ch|ex|cap|ic|lh|rlh|cq[whib]|[dls]v[hw])\b/], THREE, DROPPED, { note: 'Use px.', fallback: true }),
  fact([/^line-height$/, /^[\d.]+$/], WORD, 'lines are rounded to other heights', {
    note: 'Use px, with "mso-line-height-rule:exactly".',
  }),
  fact([/^(?:inset|margin|padding|border)-(?:inline|block)/], THREE, DROPPED, { note: 'Use left and right.' }),
  // Colour
  fact([undefined, /#(?:[0-9a-f]{4}|[0-9a-f]{8})\b/i], BARE, 'the colour is another one, or none', {
    note: 'Use six digits.',
    fallback: true,
  }),
  fact([undefined, /\b(?:rgba|hsla)\(/], WORD, 'there is no colour', { note: 'Put an opaque colour before it.', fallback: true }),
  fact([undefined, /\bhsl\(/], BARE, 'there is no colour', { note: 'Use "#rrggbb".', fallback: true }),
  fact([undefined, /\b(?:oklch|oklab|lch|lab|hwb|color|color-mix|light-dark)\(/], THREE, 'there is no colour', {
    note: 'Put "#rrggbb" before it.',
    fallback: true,
  }),
  fact([undefined, /\brgb\(\s*\d+\s+\d/], BARE, 'there is no colour', { note: 'Use commas, or "#rrggbb".', fallback: true }),
  fact([undefined, /\bcurrentcolor\b/i], WORD, 'the colour is black'),
  fact([/^opacity$/], WORD, 'the element is opaque', { note: 'Use the mixed colour.' }),
  fact([/^(?:background|background-image)$/, /url\(/], WORD, 'the plain background colour shows, or none', {
    note: 'Give a colour too, or use v:fill in VML.',
    fallback: true,
  }),
  fact([/^(?:background|background-image)$/, /gradient\(/], WORD, 'the plain background colour shows, or none', {
    note: 'Put a colour before it.',
    fallback: true,
  }),
  fact([/^background-(?:size|position|clip|origin|attachment)/], WORD, 'the picture has its own size and place'),
  fact([/^(?:mix-blend-mode|background-blend-mode|isolation)$/], THREE, 'colours are not mixed'),
  fact([/^accent-color$|^caret-color$/], THREE, DROPPED),
  // Letters
  fact([/^(?:font-feature-settings|font-variation-settings|font-optical-sizing|font-palette)/], BARE, 'the letters are the usual ones'),
  fact([/^font-weight$/, /^[1-9]\d{2}$/], WORD, 'the letters are normal or bold only'),
  fact([/^font-size$/, /clamp\(|min\(|max\(/], THREE, 'the size is the usual one', { note: 'Put a size in px before it.', fallback: true }),
  fact([/^(?:text-shadow)$/], BARE, 'there is no shadow'),
  fact([/^(?:word-spacing|text-indent)$/], ['webmail-without-style'], 'the text is set as usual'),
  fact([/^(?:text-overflow|line-clamp|-webkit-line-clamp)$/], THREE, 'the whole text is shown'),
  fact([/^(?:text-underline-offset|text-decoration-(?:thickness|style|color|skip-ink))$/], BARE, 'the line is the usual one'),
  fact([/^(?:text-wrap|text-wrap-style|hanging-punctuation|hyphenate-)/], THREE, 'lines break as usual'),
  fact([/^letter-spacing$/, /em\b/], WORD, 'letters are set as usual', { note: 'Use px.' }),
  fact([/^white-space$/, /pre-line|break-spaces/], WORD, 'line breaks are spaces', { note: 'Use <br>.' }),
  fact([/^list-style(?:-image)?$/, /url\(/], BARE, 'the usual bullets show'),
  // Decoration
  fact([/^border-(?:top-|bottom-)?(?:left-|right-)?radius$/], WORD, 'the corners are square', {
    note: 'Nothing is lost: let it be, or use v:roundrect.',
  }),
  fact([/^box-shadow$/], BARE, 'there is no shadow'),
  fact([/^border-image/], THREE, 'there is a plain border, or none'),
  fact([/^outline/], BARE, 'there is no outline'),
  fact([/^(?:clip-path|mask|shape-outside)/], THREE, 'the picture is shown whole'),
  fact([/^(?:filter|backdrop-filter)$/], THREE, 'there is no filter'),
  fact([/^(?:transform|rotate|scale|translate|perspective)/], THREE, 'nothing turns or grows'),
  fact([/^(?:animation|transition)/], THREE, 'nothing moves', { note: 'The first picture has to say all.' }),
  fact([/^cursor$|^pointer-events$|^user-select$|^-webkit-user-select$/], BARE, DROPPED),
  fact([/^content$|^counter-/], THREE, 'nothing is added'),
  fact([/^resize$|^appearance$|^scroll-|^overscroll-/], THREE, DROPPED),
  // Values
  fact([undefined, /\bvar\(/], THREE, DROPPED, { note: 'Variables of the mail’s own sheets are put in where they are known.' }),
  fact([undefined, /\benv\(|\battr\(/], THREE, DROPPED),
  fact([undefined, /\bcalc\(/], BARE, DROPPED, { note: 'Put a plain value before it.', fallback: true }),
  fact([undefined, /\bclamp\(|\bmin\(|\bmax\(/], THREE, DROPPED, { note: 'Put a plain value before it.', fallback: true }),
  fact([undefined, /\b(?:unset|revert|revert-layer)\b/], THREE, DROPPED),
  fact([undefined, /\binitial\b/], WORD, DROPPED),
  fact([/^all$/], THREE, DROPPED),
  fact([undefined, /\bexpression\(|\bbehavior\s*:/], ['webmail-without-style', 'webmail-with-prefixes', 'webkit', 'gecko'], DROPPED),
];
