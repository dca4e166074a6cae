import Builder from 'fast-xml-builder';
import { writeForm, type FormPart } from './form.js';
import type { ProfileRequest } from './schema-request.js';

/** A body as it is sent. */
export interface WrittenBody {
  readonly type: string;
  readonly body: Buffer;
}

type Json = Readonly<Record<string, unknown>>;

function isRecord(value: unknown): value is Json {
  return typeof value === 'object' && value !== null && !Array.isArray(value);
}

function textOf(value: unknown): string {
  return typeof value === 'string' ? value : value === undefined || value === null ? '' : JSON.stringify(value);
}

/** Leaves out what is empty: texts, lists and records without anything in them. */
export function withoutEmpty(value: unknown): unknown {
  if (value === '' || value === null) return undefined;
  if (Array.isArray(value)) {
    const list = (value as unknown[]).map(withoutEmpty).filter((inner) => inner !== undefined);
    return list.length === 0 ? undefined : list;
  }
  if (!isRecord(value)) return value;
  const entries = Object.entries(value).flatMap(([key, inner]) => {
    const kept = withoutEmpty(inner);
    return kept === undefined ? [] : [[key, kept] as const];
  });
  return entries.length === 0 ? undefined : Object.fromEntries(entries);
}

/** Names and values of a form: records within become a[b], lists as the profile says. */
export function flatFields(made: unknown, lists: ProfileRequest['lists']): [name: string, value: unknown][] {
  const named = (name: string, value: unknown): [string, unknown][] => {
    if (value === undefined) return [];
    if (Array.isArray(value)) {
      return (value as unknown[]).flatMap((inner, i) => {
        const isSimple = !isRecord(inner) && !Array.isArray(inner);
        // Records in a list need a number, so that their fields stay together.
        const own = !isSimple || lists === 'numbered' ? `${name}[${i}]` : lists === 'brackets' ? `${name}[]` : name;
        return named(own, inner);
      });
    }
    if (isRecord(value) && !('file' in value && isRecord(value['file'])))
      return Object.entries(value).flatMap(([key, inner]) => named(`${name}[${key}]`, inner));
    return [[name, value]];
  };
  if (Array.isArray(made)) {
    return (made as unknown[]).flatMap((entry): [string, unknown][] => {
      if (!isRecord(entry) || typeof entry['name'] !== 'string') return [];
      const { name } = entry;
      return isRecord(entry['file']) ? [[name, { file: entry['file'] }]] : named(name, entry['value']);
    });
  }
  return isRecord(made) ? Object.entries(made).flatMap(([key, value]) => named(key, value)) : [];
}

/** application/x-www-form-urlencoded (WHATWG URL 5.2). */
function fieldsBody(made: unknown, lists: ProfileRequest['lists']): WrittenBody {
  const fields = new URLSearchParams(flatFields(made, lists).map(([name, value]): [string, string] => [name, textOf(value)]));
  return { type: 'application/x-www-form-urlencoded', body: Buffer.from(fields.toString(), 'latin1') };
}

function formBody(made: unknown, lists: ProfileRequest['lists'], seed: string): WrittenBody {
  const parts = flatFields(made, lists).map(([name, value]): FormPart => {
    if (!isRecord(value) || !isRecord(value['file'])) return { name, value: textOf(value) };
    const { file } = value as { readonly file: Json };
    const bytes = typeof file['base64'] === 'string' ? Buffer.from(file['base64'], 'base64') : Buffer.from(textOf(file['content']), 'utf8');
    return { name, file: { name: textOf(file['name'] ?? 'file'), type: textOf(file['type'] ?? 'application/octet-stream'), bytes } };
  });
  return writeForm(parts, seed);
}

/** XML as profiles write it and read it: "@name" is an attribute, "$text" the text of an element, a list repeats an element. */
export const XML_FORM = { ignoreAttributes: false, attributeNamePrefix: '@', textNodeName: '$text' } as const;

const BUILDER = new Builder({ ...XML_FORM, suppressEmptyNode: true, suppressBooleanAttributes: false });

/** What XML 1.0 cannot hold (2.2), however it is written. */
const NOT_XML =
  /[\u0000-\u0008\u000B\u000C\u000E-\u001F\uFFFE\uFFFF]|[\uD800-\uDBFF](?![\uDC00-\uDFFF])|(?<![\uD800-\uDBFF])[\uDC00-\uDFFF]/g;

function forXml(value: unknown): unknown {
  if (typeof value === 'string') return value.replace(NOT_XML, '\uFFFD');
  if (Array.isArray(value)) return (value as unknown[]).map(forXml);
  if (!isRecord(value)) return value ?? '';
  return Object.fromEntries(Object.entries(value).map(([key, inner]) => [key, forXml(inner)]));
}

function xmlBody(made: unknown): WrittenBody {
  const text = `<?xml version="1.0" encoding="UTF-8"?>\n${BUILDER.build(forXml(made))}`;
  return { type: 'application/xml; charset=utf-8', body: Buffer.from(text, 'utf8') };
}

/** Which body a request has. */
export function bodyKind(request: ProfileRequest): 'json' | 'fields' | 'form' | 'xml' | 'raw' {
  for (const kind of ['json', 'fields', 'form', 'xml'] as const) if (request[kind] !== undefined) return kind;
  return 'raw';
}

/** Writes what the template of a request has made. @param seed for the boundary of a form: the same gives the same bytes */
export function writeBody(request: ProfileRequest, made: unknown, seed: string): WrittenBody {
  const content = request.empty === 'left-out' ? (withoutEmpty(made) ?? {}) : made;
  switch (bodyKind(request)) {
    case 'json':
      return { type: 'application/json', body: Buffer.from(JSON.stringify(content ?? null), 'utf8') };
    case 'fields':
      return fieldsBody(content, request.lists);
    case 'form':
      return formBody(content, request.lists, seed);
    case 'xml':
      return xmlBody(content);
    case 'raw':
      return { type: 'text/plain; charset=utf-8', body: Buffer.from(textOf(made), 'utf8') };
  }
}

const XML_NAME = /^[\p{L}_][\p{L}\p{N}._-]*(?::[\p{L}_][\p{L}\p{N}._-]*)?$/u;

/** Names in an XML template that no element or attribute can have (XML 1.0 2.3), and whether there is one root. */
export function xmlFaults(template: unknown, path = '', depth = 0): { readonly path: string; readonly message: string }[] {
  if (Array.isArray(template)) return (template as unknown[]).flatMap((inner, i) => xmlFaults(inner, `${path}.${i}`, depth));
  if (!isRecord(template)) return depth === 0 ? [{ path, message: 'must be one element: its name, and what is in it.' }] : [];
  if ('$each' in template || '$if' in template)
    return ['$value', '$else'].flatMap((key) => (key in template ? xmlFaults(template[key], `${path}.${key}`, depth) : []));
  const names = Object.keys(template);
  const root = depth === 0 && names.length !== 1 ? [{ path, message: 'must be one element: a document has one root.' }] : [];
  return [
    ...root,
    ...names.flatMap((name) => {
      const bare = name.startsWith('@') ? name.slice(1) : name;
      if (name === '$text') return [];
      const here = `${path}.${name}`;
      if (!XML_NAME.test(bare)) return [{ path: here, message: `is not a name that XML allows: "${bare}".` }];
      return name.startsWith('@') ? [] : xmlFaults(template[name], here, depth + 1);
    }),
  ];
}
