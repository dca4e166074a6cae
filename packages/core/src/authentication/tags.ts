/**
 * A list of tags (RFC 6376 3.2), folding white space removed around names and values.
 * @returns undefined for a list that is malformed or has a name twice
 */
export function readTags(text: string): ReadonlyMap<string, string> | undefined {
  const out = new Map<string, string>();
  const parts = text.split(';');
  // One semicolon may end the list.
  if (parts.at(-1)?.trim() === '') parts.pop();
  for (const part of parts) {
    const at = part.indexOf('=');
    const name = part.slice(0, Math.max(0, at)).trim();
    if (!/^[A-Za-z][A-Za-z0-9_]*$/.test(name) || out.has(name)) return undefined;
    out.set(name, part.slice(at + 1).trim());
  }
  return out;
}

/** A value that is a list with ":" between, or base64, without any white space. */
export const bare = (value: string): string => value.replace(/\s+/g, '');
