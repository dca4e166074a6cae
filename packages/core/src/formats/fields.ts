/** A field of an entry by its path ("price.amount"): own properties only. An empty path is the entry itself. */
export function fieldAt(entry: unknown, path: string): unknown {
  if (path === '') return entry;
  let at = entry;
  for (const name of path.split('.')) {
    if (typeof at !== 'object' || at === null || Array.isArray(at) || !Object.hasOwn(at, name)) return undefined;
    at = (at as Record<string, unknown>)[name];
  }
  return at;
}

export function isAbsent(value: unknown): value is null | undefined {
  return value === undefined || value === null;
}
