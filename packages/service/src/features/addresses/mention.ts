/** How an address is found in texts. */
export interface Mention {
  /** In small letters, for a first look. */
  readonly needle: string;
  /** Whether a text holds the address, and not one that merely contains it. */
  readonly isIn: (text: string) => boolean;
  /** The text without it. */
  readonly erased: (text: string) => string;
}

/** What is in its place. */
export const ERASED = 'erased@erased.invalid';

export function mentionOf(address: string): Mention {
  const escaped = address.replace(/[.*+?^${}()|[\]\\/-]/g, '\\$&');
  const pattern = new RegExp(`(?<![\\p{L}\\p{N}._%+'-])${escaped}(?![\\p{L}\\p{N}-]|\\.[\\p{L}\\p{N}])`, 'giu');
  return {
    needle: address.toLowerCase(),
    isIn: (text) => text.search(pattern) !== -1,
    erased: (text) => text.replace(pattern, ERASED),
  };
}
