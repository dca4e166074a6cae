import { readdirSync, readFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { describe, expect, test } from '@jest/globals';
import { isTag, isText, type ChildNode, type ParentNode } from 'domhandler';
import { parse } from 'parse5';
import { adapter } from 'parse5-htmlparser2-tree-adapter';
import { linkFolder } from '../folder/index.js';
import { compileFolder } from '../program/index.js';
import { prepare } from '../render/index.js';
import { compareParts } from './parts.js';
import { treeOf } from './read-made.js';

const DEMO = resolve(import.meta.dirname, '../../../../demo/mail');

/** The tree as text in brackets, without the <tbody> that a parser adds around rows. */
function told(node: ParentNode | ChildNode): string {
  if (isText(node)) return node.data;
  if (!('children' in node)) return '';
  const inner = node.children.map(told).join('');
  if (!isTag(node)) return inner;
  if (node.name === 'tbody') return inner;
  const attributes = Object.entries(node.attribs).map(([name, value]) => `${name}=${value}`);
  return `[${[node.name, ...attributes].join('|')}:${inner}]`;
}

function bodyOf(html: string): string {
  const whole = told(parse(html, { treeAdapter: adapter }));
  return whole.slice(whole.indexOf('[body'), whole.lastIndexOf(']')).replace(/\n*\]$/, ']');
}

describe('markup of our own is read as a parser reads it', () => {
  const files = new Map<string, Uint8Array>();
  for (const entry of readdirSync(DEMO, { recursive: true, withFileTypes: true }))
    if (entry.isFile())
      files.set(join(entry.parentPath, entry.name).slice(DEMO.length + 1), readFileSync(join(entry.parentPath, entry.name)));
  const project = linkFolder(files);
  const compiled = compileFolder(project);
  const now = Date.parse('2026-11-29T10:00:00Z');
  const mails = [...compiled.templates].flatMap(([name, { programs }]) =>
    [...programs].flatMap(([locale, program]) =>
      (project.templates.get(name)?.samples ?? []).map(
        (sample) => [`${name} ${sample.name} ${locale}`, prepare(program)({ data: sample.data, now })] as const,
      ),
    ),
  );

  test.each(mails)('%s', (_name, { html, text }) => {
    expect(
      told(treeOf(html))
        .trim()
        .replace(/\n*\]$/, ']'),
    ).toBe(bodyOf(html));
    expect(compareParts(html, text, { isMade: true })).toEqual(compareParts(html, text));
  });
});
