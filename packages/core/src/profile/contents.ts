import { XMLParser } from 'fast-xml-parser';
import { SyntaxValidator } from 'fast-xml-validator';
import { isDeeper } from '../problems/index.js';
import { XML_FORM } from './bodies.js';

/** Deepest content of an answer or a call that is looked into. */
const MOST_DEPTH = 64;

const PARSER = new XMLParser({
  ...XML_FORM,
  parseTagValue: false,
  parseAttributeValue: false,
  trimValues: true,
  ignoreDeclaration: true,
  ignorePiTags: true,
  // Without a document type there are no entities of its own that could grow.
  processEntities: true,
});

/** XML that declares a document type is not read: it is the way to entities that grow (XML 1.0 4.1). */
const DOCTYPE = /<!DOCTYPE/i;

/** Content that cannot be read as what it should be. Says why, for people. */
export class UnreadableContent extends Error {}

/** @throws UnreadableContent */
export function parseJson(text: string): unknown {
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch {
    throw new UnreadableContent('It is not JSON.');
  }
  if (isDeeper(value, MOST_DEPTH)) throw new UnreadableContent(`It nests deeper than ${MOST_DEPTH} levels.`);
  return value;
}

/** @throws UnreadableContent */
export function parseXml(text: string): unknown {
  if (DOCTYPE.test(text)) throw new UnreadableContent('It is XML with a document type, which is not read.');
  if (!text.trimStart().startsWith('<')) throw new UnreadableContent('It is not XML.');
  let value: unknown;
  try {
    SyntaxValidator.validate(text);
    value = PARSER.parse(text);
  } catch (error) {
    throw new UnreadableContent(`It is not XML that is well-formed: ${error instanceof Error ? error.message : String(error)}`);
  }
  if (isDeeper(value, MOST_DEPTH)) throw new UnreadableContent(`It nests deeper than ${MOST_DEPTH} levels.`);
  return value;
}

/** The fields of a form (WHATWG URL 5.1); a name that comes several times is a list. */
export function parseFields(text: string): Readonly<Record<string, unknown>> {
  const found = new Map<string, string[]>();
  for (const [name, value] of new URLSearchParams(text)) {
    const list = found.get(name);
    if (list === undefined) found.set(name, [value]);
    else list.push(value);
  }
  return Object.fromEntries([...found].map(([name, list]) => [name, list.length === 1 ? list[0] : list]));
}
