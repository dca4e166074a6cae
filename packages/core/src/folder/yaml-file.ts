import type * as z from 'zod';
import { issueWords, problem, readYaml, SourceText, yamlKeyAt, yamlValueAt, type Place, type Problem } from '../problems/index.js';

/** How often a YAML document may repeat what it has named: such repetitions multiply. */
const MAX_ALIASES = 50;
/** So many mistakes of one file are reported: more help nobody. */
const MOST_FAULTS = 100;

/** How the mistakes of a file are described. */
export interface YamlWords {
  /** The message about an unknown key, with the key that was perhaps meant. */
  readonly unknown: (
    key: string,
    at: readonly PropertyKey[],
  ) => { readonly code: string; readonly message: string; readonly hint?: string };
  /** The code of other mistakes. */
  readonly code: string;
  readonly hint?: (path: readonly PropertyKey[]) => string | undefined;
}

/** A file that was read, with where its parts stand. */
export interface YamlFile<Content> {
  readonly content: Content;
  /** The key at a path, as far as it exists. */
  readonly keyAt: (path: readonly PropertyKey[]) => Place;
  /** The value at a path; its key where it is no plain text. */
  readonly valueAt: (path: readonly PropertyKey[]) => Place;
}

/** Reads a YAML file of a mail folder and reports each mistake with its line. @returns undefined when the file cannot be used */
export function readYamlFile<Content>(
  schema: z.ZodType<Content>,
  { file, text }: { readonly file: string; readonly text: string },
  words: YamlWords,
  problems: Problem[],
): YamlFile<Content> | undefined {
  const source = new SourceText(file, text);
  const { document, faults } = readYaml(text);
  for (const fault of faults.slice(0, MOST_FAULTS)) {
    problems.push(
      problem('yaml', source.place(fault.pos[0], Math.max(1, fault.pos[1] - fault.pos[0])), `This is not valid YAML: ${fault.message}`),
    );
  }
  if (faults.length > 0) return undefined;
  let plain: unknown;
  try {
    plain = document.toJS({ maxAliasCount: MAX_ALIASES }) ?? {};
  } catch (error) {
    problems.push(problem('yaml', source.place(0), `This is not valid YAML: ${error instanceof Error ? error.message : String(error)}`));
    return undefined;
  }
  const keyAt = (path: readonly PropertyKey[]): Place => {
    const [from, to] = yamlKeyAt(document, path) ?? [0, 0];
    return source.place(from, to - from);
  };
  const parsed = schema.safeParse(plain);
  if (parsed.success) {
    const valueAt = (path: readonly PropertyKey[]): Place => {
      const found = yamlValueAt(document, path);
      return found === undefined ? keyAt(path) : source.place(found[0], found[1] - found[0]);
    };
    return { content: parsed.data, keyAt, valueAt };
  }
  for (const issue of parsed.error.issues.slice(0, MOST_FAULTS)) {
    if (issue.code === 'unrecognized_keys') {
      for (const key of issue.keys.slice(0, MOST_FAULTS)) {
        const { code, message, hint } = words.unknown(key, issue.path);
        problems.push(problem(code, keyAt([...issue.path, key]), message, hint));
      }
    } else {
      const name = issue.path.join('.');
      problems.push(
        problem(
          words.code,
          keyAt(issue.path),
          `${name === '' ? 'This file' : `"${name}"`} ${issueWords(issue)}.`,
          words.hint?.(issue.path),
        ),
      );
    }
  }
  return undefined;
}
