import { pathToFileURL } from 'node:url';
import { join } from 'node:path';
import type { Completion, Edit } from '@verbalis/core/editing';
import type { Place, Problem } from '@verbalis/core/problems';
import {
  CompletionItemKind,
  DiagnosticSeverity,
  type CompletionItem,
  type Diagnostic,
  type Location,
  type Range,
  type TextEdit,
} from 'vscode-languageserver';
import { TextDocument } from 'vscode-languageserver-textdocument';

const KINDS: Readonly<Record<Completion['kind'], CompletionItemKind>> = {
  field: CompletionItemKind.Field,
  name: CompletionItemKind.Variable,
  formatter: CompletionItemKind.Function,
  block: CompletionItemKind.Class,
  argument: CompletionItemKind.Property,
  value: CompletionItemKind.EnumMember,
  string: CompletionItemKind.Text,
  word: CompletionItemKind.Keyword,
  file: CompletionItemKind.File,
};

const SEVERITIES: Readonly<Record<Problem['severity'], DiagnosticSeverity>> = {
  error: DiagnosticSeverity.Error,
  warning: DiagnosticSeverity.Warning,
  suggestion: DiagnosticSeverity.Information,
};

/** The address of a file of a folder. */
export const uriOf = (root: string, path: string): string => pathToFileURL(join(root, path)).href;

/** A text whose offsets are to be turned into lines and columns (counted from 0, in UTF-16 units). */
export const documentOf = (text: string): TextDocument => TextDocument.create('', '', 0, text);

/** The range of a place in the text that it is in. */
export function rangeOf(document: TextDocument, { offset, length }: Pick<Place, 'offset' | 'length'>): Range {
  return { start: document.positionAt(offset), end: document.positionAt(offset + length) };
}

export function locationOf(root: string, place: Place, text: string): Location {
  return { uri: uriOf(root, place.file), range: rangeOf(documentOf(text), place) };
}

export function completionItem(
  document: TextDocument,
  { label, kind, detail, insert, from, to, isUnfit }: Completion,
  i: number,
): CompletionItem {
  return {
    label,
    kind: KINDS[kind],
    ...(detail === undefined ? {} : { detail }),
    textEdit: { range: rangeOf(document, { offset: from, length: to - from }), newText: insert },
    // What is replaced is what has been typed: the editor compares it with the text, not with the label.
    filterText: insert,
    sortText: `${isUnfit === true ? '1' : '0'}${String(i).padStart(4, '0')}`,
  };
}

export function diagnosticOf(document: TextDocument, { place, severity, code, message, hint }: Problem): Diagnostic {
  return {
    range: rangeOf(document, { ...place, length: Math.max(place.length, 1) }),
    severity: SEVERITIES[severity],
    code,
    source: 'verbalis',
    message: hint === undefined ? message : `${message}\n${hint}`,
  };
}

export function textEdits(edits: readonly Edit[], textOf: (file: string) => string): Map<string, TextEdit[]> {
  const out = new Map<string, TextEdit[]>();
  const documents = new Map<string, TextDocument>();
  for (const { place, text } of edits) {
    let document = documents.get(place.file);
    if (document === undefined) documents.set(place.file, (document = documentOf(textOf(place.file))));
    out.set(place.file, [...(out.get(place.file) ?? []), { range: rangeOf(document, place), newText: text }]);
  }
  return out;
}
