import { isMap, isScalar, LineCounter, parseDocument, visit, type Document } from 'yaml';

/** A mistake in a YAML text, with where it begins and ends. */
export interface YamlFault {
  readonly message: string;
  readonly pos: readonly [number, number];
}

/**
 * Reads a YAML document (YAML 1.2.2) in time proportional to its length: that no key comes twice (3.2.1.1) is looked at here, since the library
 * compares each key with each.
 */
export function readYaml(text: string): { readonly document: Document.Parsed; readonly faults: readonly YamlFault[] } {
  const document = parseDocument(text, { lineCounter: new LineCounter(), prettyErrors: false, uniqueKeys: false });
  const faults: YamlFault[] = document.errors.map(({ message, pos }) => ({ message, pos }));
  if (faults.length === 0)
    visit(document, {
      Map: (_key, map) => {
        const seen = new Set<unknown>();
        for (const { key } of map.items) {
          if (!isScalar(key)) continue;
          const [from = 0, to = from + 1] = key.range ?? [];
          if (seen.has(key.value)) faults.push({ message: 'Map keys must be unique', pos: [from, to] });
          seen.add(key.value);
        }
      },
    });
  return { document, faults };
}

/** The key of a map at a path, as far as it exists. @returns its offsets; undefined if even the first step is missing */
export function yamlKeyAt(document: Document, path: readonly PropertyKey[]): readonly [number, number] | undefined {
  let at: unknown = document.contents;
  let found: readonly [number, number] | undefined;
  for (const step of path) {
    if (!isMap(at)) break;
    const pair = at.items.find((item) => isScalar(item.key) && String(item.key.value) === String(step));
    if (pair === undefined) break;
    const { range } = pair.key as { readonly range?: readonly [number, number, number] };
    if (range !== undefined) found = [range[0], range[1]];
    at = pair.value;
  }
  return found;
}

/** The value at a path of maps and lists, where it is a text, number or truth value. @returns its offsets */
export function yamlValueAt(document: Document, path: readonly PropertyKey[]): readonly [number, number] | undefined {
  const node: unknown = document.getIn([...path], true);
  if (!isScalar(node)) return undefined;
  const [from, to] = node.range ?? [];
  return from === undefined || to === undefined ? undefined : [from, to];
}
