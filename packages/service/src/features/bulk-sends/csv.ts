import { parse } from 'csv-parse';
import { typeOfSchema, type JsonSchema, type Type } from '@verbalis/core/typing';
import { Refusal } from '../../kernel/index.js';

const COLUMNS = ['to', 'address', 'name', 'locale', 'timeZone', 'reference'];

/** What a column is for; undefined where it has no meaning. */
function isKnown(column: string): boolean {
  return COLUMNS.includes(column) || /^(?:data|labels)\.[^.].*$/.test(column);
}

/** The type of a field of the template's data. */
function typeAt(type: Type, path: readonly string[]): Type | undefined {
  const [name, ...rest] = path;
  if (name === undefined) return type;
  const [inner] = type.members.flatMap((member) => (member.kind === 'record' ? (member.field(name)?.type ?? []) : []));
  return inner === undefined ? undefined : typeAt(inner, rest);
}

/** A cell as the template wants it: a number or a truth value where no text fits. */
function valueOf(text: string, type: Type | undefined): unknown {
  const kinds = new Set(type?.members.map(({ kind }) => kind) ?? []);
  if (kinds.has('text') || type === undefined) return text;
  if (kinds.has('number') && /^-?\d{1,15}(?:\.\d{1,9})?$/.test(text)) return Number(text);
  if (kinds.has('truth') && /^(?:true|false)$/i.test(text)) return text.toLowerCase() === 'true';
  return text;
}

function setAt(record: Record<string, unknown>, path: readonly string[], value: unknown): void {
  const [name = '', ...rest] = path;
  if (rest.length === 0) Object.defineProperty(record, name, { value, enumerable: true, configurable: true, writable: true });
  else {
    const inner = Object.hasOwn(record, name) ? record[name] : undefined;
    const next = typeof inner === 'object' && inner !== null ? (inner as Record<string, unknown>) : {};
    Object.defineProperty(record, name, { value: next, enumerable: true, configurable: true, writable: true });
    setAt(next, rest, value);
  }
}

function rowOf(cells: Readonly<Record<string, string>>, schema: Type): unknown {
  const { to, address, name, ...others } = cells;
  const row: Record<string, unknown> = {
    to: to !== undefined && to !== '' ? to : name === undefined || name === '' ? (address ?? '') : { name, address: address ?? '' },
  };
  for (const [column, text] of Object.entries(others)) {
    // An empty cell is a field that is left out.
    if (text === '') continue;
    const path = column.split('.');
    setAt(row, path, path[0] === 'data' ? valueOf(text, typeAt(schema, path.slice(1))) : text);
  }
  return row;
}

/**
 * Makes rows of NDJSON from CSV (RFC 4180) with a header line, as they come. @param schema of the template's data
 * @throws Refusal with the line where it is no CSV, or a column has no meaning
 */
export async function* rowsOfCsv(bytes: Iterable<Uint8Array>, schema: JsonSchema): AsyncGenerator<string> {
  const type = typeOfSchema(schema);
  const parser = parse({
    bom: true,
    skip_empty_lines: true,
    trim: true,
    max_record_size: 1024 * 1024,
    columns: (names: string[]) => {
      const unknown = names.filter((name) => !isKnown(name));
      if (unknown.length > 0 || !names.some((name) => name === 'to' || name === 'address'))
        throw new Refusal(422, 'csv-columns', 'These columns cannot be used', {
          detail: unknown.length > 0 ? `No meaning has: ${unknown.slice(0, 10).join(', ')}.` : 'There is no column "to" or "address".',
          hint: `There are: ${COLUMNS.join(', ')}, data.FIELD and labels.NAME.`,
        });
      return names;
    },
  });
  const feeding = (async () => {
    for (const chunk of bytes) if (!parser.write(chunk)) await new Promise((drained) => parser.once('drain', drained));
    parser.end();
  })();
  try {
    for await (const cells of parser as AsyncIterable<Record<string, string>>) yield JSON.stringify(rowOf(cells, type));
    await feeding;
  } catch (error) {
    if (error instanceof Refusal) throw error;
    throw new Refusal(422, 'no-csv', 'This is not valid CSV', { detail: error instanceof Error ? error.message : String(error) });
  }
}
