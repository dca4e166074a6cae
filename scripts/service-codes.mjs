// Finds every problem type and every metric of the service by reading the code's syntax tree: the reference cannot fall behind.
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import ts from 'typescript';
import { property, words } from './codes.mjs';
import { root } from './steps.mjs';

const SRC = join(root, 'packages/service/src');

function* sources() {
  for (const entry of readdirSync(SRC, { recursive: true, withFileTypes: true })) {
    if (!entry.isFile() || !entry.name.endsWith('.ts') || entry.name.endsWith('.test.ts') || entry.name.startsWith('test-')) continue;
    const path = join(entry.parentPath, entry.name);
    yield ts.createSourceFile(path, readFileSync(path, 'utf8'), ts.ScriptTarget.Latest, true);
  }
}

function* made(name) {
  for (const source of sources()) {
    const found = [];
    const visit = (node) => {
      if (ts.isNewExpression(node) && name.test(node.expression.getText(source))) found.push(node);
      ts.forEachChild(node, visit);
    };
    visit(source);
    for (const node of found) yield { class: node.expression.getText(source), args: node.arguments ?? [] };
  }
}

/** `{ type, statuses, titles, hints }` of each problem that the API can answer with. */
export function problemTypes() {
  const out = new Map();
  for (const { args } of made(/^Refusal$/)) {
    const [status, type, title, more] = args;
    const name = type === undefined ? '' : words(type);
    if (name === '' || name.includes('…')) continue;
    const known = out.get(name) ?? { type: name, statuses: new Set(), titles: new Set(), hints: new Set() };
    if (ts.isNumericLiteral(status)) known.statuses.add(status.text);
    for (const [texts, text] of [
      [known.titles, words(title)],
      [known.hints, words(property(more, 'hint'))],
    ])
      if (text !== '') texts.add(text);
    out.set(name, known);
  }
  return [...out.values()].sort((a, b) => a.type.localeCompare(b.type));
}

/** `{ name, kind, help, labels }` of each metric. */
export function metrics() {
  const out = [];
  for (const { class: kind, args } of made(/^(?:Gauge|Counter|Histogram|Summary)$/)) {
    const [options] = args;
    const labels = property(options, 'labelNames');
    out.push({
      name: words(property(options, 'name')),
      kind: kind.toLowerCase(),
      help: words(property(options, 'help')),
      labels: labels === undefined || !ts.isArrayLiteralExpression(labels) ? [] : labels.elements.map(words),
    });
  }
  return out.sort((a, b) => a.name.localeCompare(b.name));
}
