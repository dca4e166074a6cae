import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
import { html } from '@codemirror/lang-html';
import { json } from '@codemirror/lang-json';
import { markdown } from '@codemirror/lang-markdown';
import { yaml, yamlFrontmatter } from '@codemirror/lang-yaml';
import { HighlightStyle, syntaxHighlighting } from '@codemirror/language';
import { lintGutter, setDiagnostics, type Diagnostic } from '@codemirror/lint';
import { MergeView, unifiedMergeView } from '@codemirror/merge';
import { highlightSelectionMatches, search, searchKeymap } from '@codemirror/search';
import { EditorState, type Extension } from '@codemirror/state';
import { EditorView, highlightActiveLine, keymap, lineNumbers } from '@codemirror/view';
import { tags } from '@lezer/highlight';
import type { SourceProblem } from '@verbalis/client';
import { useEffect, useRef } from 'react';
import styled from 'styled-components';
import { color, font } from '../style.js';

const Box = styled.div<{ readonly $height: string }>`
  border: 1px solid ${color.hair};
  border-radius: 6px;
  overflow: hidden;
  background: ${color.raised};
  .cm-editor {
    height: ${({ $height }) => $height};
    font-size: 14px;
  }
  .cm-editor.cm-focused {
    outline: 2px solid ${color.accent};
    outline-offset: -2px;
  }
`;

const look = EditorView.theme({
  '&': { color: 'var(--text)', backgroundColor: 'var(--raised)' },
  '.cm-scroller': { fontFamily: font.mono, lineHeight: '1.55' },
  '.cm-gutters': { backgroundColor: 'var(--raised)', color: 'var(--soft)', border: '0' },
  '.cm-activeLine, .cm-activeLineGutter': { backgroundColor: 'var(--wash)' },
  '.cm-cursor': { borderLeftColor: 'var(--text)' },
  '&.cm-focused .cm-selectionBackground, .cm-selectionBackground': {
    backgroundColor: 'color-mix(in srgb, var(--accent) 24%, transparent) !important',
  },
  '.cm-panels': { backgroundColor: 'var(--wash)', color: 'var(--text)' },
  '.cm-tooltip': { backgroundColor: 'var(--raised)', color: 'var(--text)', border: '1px solid var(--hair)' },
  '.cm-deletedChunk': { backgroundColor: 'color-mix(in srgb, var(--bad) 14%, transparent)' },
  '.cm-changedLine': { backgroundColor: 'color-mix(in srgb, var(--good) 14%, transparent) !important' },
  '.cm-changedText': { background: 'color-mix(in srgb, var(--good) 32%, transparent) !important' },
  '.cm-deletedText, .cm-deletedChunk .cm-deletedText': { background: 'color-mix(in srgb, var(--bad) 32%, transparent) !important' },
  '.cm-collapsedLines': { background: 'var(--wash)', color: 'var(--soft)' },
});

const hue = HighlightStyle.define([
  { tag: [tags.heading, tags.strong], fontWeight: '600' },
  { tag: tags.emphasis, fontStyle: 'italic' },
  { tag: [tags.link, tags.url], color: 'var(--accent)' },
  { tag: [tags.propertyName, tags.tagName, tags.labelName], color: 'var(--mark)' },
  { tag: [tags.string, tags.monospace, tags.attributeValue], color: 'var(--good)' },
  { tag: [tags.number, tags.bool, tags.null, tags.attributeName], color: 'var(--wait)' },
  { tag: [tags.comment, tags.meta, tags.processingInstruction], color: 'var(--soft)' },
]);

function languageOf(path: string): Extension {
  if (path.endsWith('.json')) return json();
  if (path.endsWith('.html')) return html();
  if (path.endsWith('.md')) return yamlFrontmatter({ content: markdown() });
  return path.endsWith('.yaml') ? yaml() : [];
}

function nonce(): string {
  return document.querySelector<HTMLMetaElement>('meta[property="csp-nonce"]')?.nonce ?? '';
}

function base(path: string, label: string): Extension[] {
  return [
    EditorView.cspNonce.of(nonce()),
    EditorView.lineWrapping,
    EditorView.contentAttributes.of({ 'aria-label': label, tabindex: '0' }),
    // A scroller is reached by the keyboard through the text within it.
    lineNumbers(),
    look,
    syntaxHighlighting(hue),
    languageOf(path),
    search({ top: true }),
    highlightSelectionMatches(),
  ];
}

export interface Jump {
  readonly line: number;
  readonly column: number;
  /** Changes with every jump, also to the same place. */
  readonly n: number;
}

/** A source, to be read or written. What is typed is handlers by `onChange`; `text` from outside replaces it. */
export function Editor({
  path,
  text,
  problems = [],
  readOnly,
  jump,
  height = '640px',
  onChange,
  onSave,
}: {
  readonly path: string;
  readonly text: string;
  readonly problems?: readonly SourceProblem[];
  readonly readOnly: boolean;
  readonly jump?: Jump | undefined;
  readonly height?: string;
  readonly onChange?: (text: string) => void;
  readonly onSave?: () => void;
}) {
  const box = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView>(undefined);
  const handlers = useRef({ onChange, onSave });
  handlers.current = { onChange, onSave };
  useEffect(() => {
    if (box.current === null) return;
    const editor = new EditorView({
      parent: box.current,
      state: EditorState.create({
        doc: text,
        extensions: [
          ...base(path, `${path}, ${readOnly ? 'read only' : 'editable'}`),
          lintGutter(),
          highlightActiveLine(),
          history(),
          // Tab stays the way on to the next field.
          keymap.of([
            {
              key: 'Mod-s',
              run: () => {
                handlers.current.onSave?.();
                return true;
              },
            },
            ...defaultKeymap,
            ...historyKeymap,
            ...searchKeymap,
          ]),
          EditorState.readOnly.of(readOnly),
          EditorView.updateListener.of((update) => {
            if (update.docChanged) handlers.current.onChange?.(update.state.doc.toString());
          }),
        ],
      }),
    });
    view.current = editor;
    return () => editor.destroy();
    // Typing must not create the editor again.
  }, [path, readOnly]);
  useEffect(() => {
    const editor = view.current;
    if (editor === undefined || editor.state.doc.toString() === text) return;
    const at = Math.min(editor.state.selection.main.head, text.length);
    editor.dispatch({ changes: { from: 0, to: editor.state.doc.length, insert: text }, selection: { anchor: at } });
  }, [text]);
  useEffect(() => {
    const editor = view.current;
    if (editor === undefined) return;
    const { doc } = editor.state;
    const diagnostics = problems
      .filter((problem) => problem.file === path)
      .map((problem): Diagnostic => {
        const line = doc.line(Math.min(Math.max(1, problem.line), doc.lines));
        const from = Math.min(line.from + problem.column - 1, line.to);
        const severity = problem.severity === 'suggestion' ? 'info' : problem.severity;
        return {
          from,
          to: Math.max(from, line.to),
          severity,
          message: problem.hint === undefined ? problem.message : `${problem.message}\n${problem.hint}`,
        };
      });
    editor.dispatch(setDiagnostics(editor.state, diagnostics));
  }, [problems, path, text]);
  useEffect(() => {
    const editor = view.current;
    if (editor === undefined || jump === undefined) return;
    const line = editor.state.doc.line(Math.min(Math.max(1, jump.line), editor.state.doc.lines));
    const at = Math.min(line.from + jump.column - 1, line.to);
    editor.dispatch({ selection: { anchor: at }, effects: EditorView.scrollIntoView(at, { y: 'center' }) });
    editor.focus();
  }, [jump]);
  return <Box ref={box} $height={height} />;
}

/** What differs between two texts: beside each other, or below each other where there is no room. */
export function Difference({ path, before, after }: { readonly path: string; readonly before: string; readonly after: string }) {
  const box = useRef<HTMLDivElement>(null);
  useEffect(() => {
    if (box.current === null) return;
    const collapse = { collapseUnchanged: { margin: 3, minSize: 6 } };
    const shared = (label: string) => [
      ...base(path, label),
      EditorState.readOnly.of(true),
      EditorView.editable.of(false),
      EditorView.contentAttributes.of({ tabindex: '0' }),
    ];
    if (box.current.clientWidth >= 800) {
      const view = new MergeView({
        parent: box.current,
        a: { doc: before, extensions: shared(`${path} before`) },
        b: { doc: after, extensions: shared(`${path} after`) },
        ...collapse,
      });
      return () => view.destroy();
    }
    const view = new EditorView({
      parent: box.current,
      doc: after,
      extensions: [...shared(path), unifiedMergeView({ original: before, mergeControls: false, ...collapse })],
    });
    return () => view.destroy();
  }, [path, before, after]);
  return <Box ref={box} $height="auto" />;
}
