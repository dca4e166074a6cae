import { readdirSync, readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { join } from 'node:path';
import { beforeAll, expect, test } from '@jest/globals';
import { ROOT } from './support/service.js';

interface Grammar {
  readonly tokenizeLine: (
    line: string,
    stack: unknown,
  ) => { readonly tokens: readonly { startIndex: number; endIndex: number; scopes: readonly string[] }[]; readonly ruleStack: unknown };
}
const require = createRequire(import.meta.url);
const { INITIAL, Registry, parseRawGrammar } = require('vscode-textmate') as {
  INITIAL: unknown;
  Registry: new (options: object) => { loadGrammar: (scope: string) => Promise<Grammar> };
  parseRawGrammar: (text: string, path: string) => object;
};
const oniguruma = require('vscode-oniguruma') as {
  loadWASM: (bytes: Uint8Array) => Promise<void>;
  createOnigScanner: (patterns: string[]) => object;
  createOnigString: (text: string) => object;
};

const GRAMMAR = join(ROOT, 'editors/syntax/verbalis.tmLanguage.json');
// What it is injected into; the editor brings the whole one.
const MARKDOWN = JSON.stringify({ scopeName: 'text.html.markdown', patterns: [{ name: 'markup.heading', match: '^#.*$' }] });
let grammar: Grammar;

beforeAll(async () => {
  await oniguruma.loadWASM(readFileSync(require.resolve('vscode-oniguruma/release/onig.wasm')));
  const registry = new Registry({
    onigLib: Promise.resolve({ createOnigScanner: oniguruma.createOnigScanner, createOnigString: oniguruma.createOnigString }),
    loadGrammar: (scope: string) =>
      Promise.resolve(
        scope === 'text.html.markdown'
          ? parseRawGrammar(MARKDOWN, 'markdown.json')
          : parseRawGrammar(readFileSync(GRAMMAR, 'utf8'), GRAMMAR),
      ),
    getInjections: (scope: string) => (scope === 'text.html.markdown' ? ['text.verbalis.injection'] : undefined),
  });
  grammar = await registry.loadGrammar('text.html.markdown');
});

/** The innermost scope of each stretch of a text that has one of ours. */
function scopesOf(text: string): [string, string][] {
  const out: [string, string][] = [];
  let stack = INITIAL;
  for (const line of text.split('\n')) {
    const { tokens, ruleStack } = grammar.tokenizeLine(line, stack);
    stack = ruleStack;
    for (const { startIndex, endIndex, scopes } of tokens) {
      const scope = scopes.findLast((name) => name.endsWith('.verbalis'));
      const part = line.slice(startIndex, endIndex).trim();
      if (scope !== undefined && part !== '') out.push([part, scope.slice(0, -'.verbalis'.length)]);
    }
  }
  return out;
}

test.each([
  [
    'a value with a formatter',
    'Dear {{ passenger.name | upper }}',
    [
      ['passenger', 'variable.other'],
      ['name', 'variable.other.property'],
      ['upper', 'support.function.formatter'],
    ],
  ],
  [
    'a condition',
    '{{ if state == "late" and not x }}',
    [
      ['if', 'keyword.control'],
      ['==', 'keyword.operator'],
      ['late', 'string.quoted.double'],
      ['and', 'keyword.operator.logical'],
    ],
  ],
  [
    'a block with arguments',
    ':::notice tone={{ late ? "warning" : "info" }} title="A {{ b }}"',
    [
      ['notice', 'entity.name.tag'],
      ['tone', 'entity.other.attribute-name'],
      ['late', 'variable.other'],
      ['b', 'variable.other'],
    ],
  ],
  [
    'a loop',
    ':::each fare in booking.fares | first 3',
    [
      ['each', 'keyword.control'],
      ['in', 'keyword.control'],
      ['first', 'support.function.formatter'],
      ['3', 'constant.numeric'],
    ],
  ],
  [
    'a comment over lines',
    '{{# not\na {{ value }} x',
    [
      ['not', 'comment.block'],
      ['a {{ value', 'comment.block'],
    ],
  ],
  ['a comment line', '::# {{ x }}', [['::# {{ x }}', 'comment.line']]],
  ['literal braces', '\\{{ a }}', [['\\{{', 'constant.character.escape']]],
  ['the end of a block', ':::', [[':::', 'punctuation.definition.block']]],
])('colours %s', (_what, text, wanted) => {
  expect(scopesOf(text)).toEqual(expect.arrayContaining(wanted.map((pair) => expect.arrayContaining(pair))));
});

test('ends with each line, but for braces and comments that go on', () => {
  expect(scopesOf(':::notice tone="open\nplain text')).not.toContainEqual(['plain text', expect.anything()]);
  expect(scopesOf('{{ a }} plain')).not.toContainEqual(['plain', expect.anything()]);
});

test('colours every source of the demo without leaving braces open', () => {
  const mail = join(ROOT, 'demo/mail/templates');
  for (const template of readdirSync(mail))
    for (const file of readdirSync(join(mail, template)).filter((name) => name.endsWith('.md'))) {
      const text = `${readFileSync(join(mail, template, file), 'utf8')}\nplain at the end`;
      expect({ template, file, scopes: scopesOf(text).filter(([part]) => part.includes('plain at the end')) }).toEqual({
        template,
        file,
        scopes: [],
      });
    }
});
