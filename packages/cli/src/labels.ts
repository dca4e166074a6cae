import { UsageError } from './output.js';

/** Labels of a command line, each written as name=value. @throws UsageError */
export function labelsOf(texts: readonly string[]): Record<string, string> {
  return Object.fromEntries(
    texts.map((text) => {
      const at = text.indexOf('=');
      if (at <= 0) throw new UsageError(`"${text}" is not a valid label.`, 'Write --label name=value.');
      return [text.slice(0, at), text.slice(at + 1)];
    }),
  );
}
