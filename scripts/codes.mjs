// Finds every problem code of the core with what it says, by reading the code's syntax tree: the reference cannot fall behind.
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import ts from 'typescript';
import { root } from './steps.mjs';

const CODE = /^[a-z]+(?:-[a-z]+)*$/;

/** A text expression as a reader can take it: what is put in is shown as "…". */
export function words(node) {
  if (node === undefined) return '';
  if (ts.isStringLiteralLike(node)) return node.text;
  if (ts.isTemplateExpression(node)) return node.head.text + node.templateSpans.map((span) => `…${span.literal.text}`).join('');
  if (ts.isConditionalExpression(node)) return words(node.whenTrue) || words(node.whenFalse);
  if (ts.isBinaryExpression(node)) return words(node.left) + words(node.right);
  return '';
}

const hyphened = (node) => codesOf(node).filter((code) => code.includes('-'));

/** The value of a property in an object literal. */
export function property(node, key) {
  if (node === undefined || !ts.isObjectLiteralExpression(node)) return undefined;
  return node.properties.find((assignment) => ts.isPropertyAssignment(assignment) && assignment.name.getText() === key)?.initializer;
}

function codesOf(node) {
  if (node === undefined) return [];
  if (ts.isStringLiteralLike(node)) return CODE.test(node.text) ? [node.text] : [];
  return ts.isConditionalExpression(node) ? [...codesOf(node.whenTrue), ...codesOf(node.whenFalse)] : [];
}

/** `{ code, severity, message, hint }` of each place that makes a problem, by step. */
export function problemCodes() {
  const out = new Map();
  const folder = join(root, 'packages/core/src');
  const add = (step, code, severity, message, hint) => {
    const known = out.get(code) ?? { code, severities: new Set(), step, messages: new Map() };
    known.severities.add(severity);
    if (message !== '') known.messages.set(message, hint);
    out.set(code, known);
  };
  for (const entry of readdirSync(folder, { recursive: true, withFileTypes: true })) {
    if (!entry.isFile() || !entry.name.endsWith('.ts') || entry.name.endsWith('.test.ts')) continue;
    const path = join(entry.parentPath, entry.name);
    const step = path.slice(folder.length + 1).split('/')[0];
    const source = ts.createSourceFile(path, readFileSync(path, 'utf8'), ts.ScriptTarget.Latest, true);
    const visit = (node) => {
      if (ts.isCallExpression(node) || ts.isNewExpression(node)) {
        const name = node.expression.getText(source).split(/[.#]/).pop();
        const args = node.arguments ?? [];
        const texts = args
          .slice(1)
          .map(words)
          .filter((text) => text !== '');
        if (name === 'problem' || name === 'warning' || name === 'suggestion') {
          for (const code of codesOf(args[0])) add(step, code, name === 'problem' ? 'error' : name, words(args[2]), words(args[3]));
        } else if (name === 'Fault') {
          for (const code of hyphened(args[0])) add(step, code, 'error', words(args[1]), words(property(args[2], 'hint')));
        } else if (/^(?:fault|mistake|say|wrong|tell|report)$/.test(name)) {
          for (const code of hyphened(args[0])) add(step, code, 'error', texts[0] ?? '', texts[1] ?? '');
        }
      } else if (ts.isObjectLiteralExpression(node)) {
        const get = (key) => property(node, key);
        if (get('code') !== undefined && get('message') !== undefined && !ts.isIdentifier(get('code')))
          for (const code of codesOf(get('code')))
            add(step, code, step === 'check' ? 'suggestion' : 'error', words(get('message')), words(get('hint')));
      }
      ts.forEachChild(node, visit);
    };
    visit(source);
  }
  return [...out.values()].sort((a, b) => a.code.localeCompare(b.code));
}
