/**
 * Whether an address is one of those that a list names: "asa@post.example" exactly, "@post.example" or "post.example" for a domain,
 * "*" standing for any run of signs ("test+*@post.example"). Compared without regard to case; no back-tracking.
 */
export function isNamed(address: string, list: readonly string[]): boolean {
  const wanted = address.toLowerCase();
  return list.some((entry) => {
    const pattern = entry.toLowerCase();
    if (!pattern.includes('*'))
      return pattern.includes('@') && !pattern.startsWith('@') ? pattern === wanted : wanted.endsWith(`@${pattern.replace(/^@/, '')}`);
    return globs(wanted, pattern.includes('@') ? pattern : `*@${pattern}`);
  });
}

/** Matching with "*": each piece is looked for once, from left to right, the last one at the end. */
function globs(text: string, pattern: string): boolean {
  const pieces = pattern.split('*');
  const [first = '', ...rest] = pieces;
  const last = rest.pop() ?? '';
  if (!text.startsWith(first)) return false;
  let at = first.length;
  for (const piece of rest) {
    const found = text.indexOf(piece, at);
    if (found === -1) return false;
    at = found + piece.length;
  }
  return text.length - last.length >= at && text.endsWith(last);
}
