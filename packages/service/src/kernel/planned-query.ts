import { Column, is, Param, Placeholder, SQL, type DriverValueDecoder } from 'drizzle-orm';
import type { BetterSQLite3Database } from 'drizzle-orm/better-sqlite3';
import type { KeptStatement } from './statements.js';

type Values = Readonly<Record<string, unknown>>;

/** A column or expression of a result, and the path of its value in the object that a row becomes. */
interface Field {
  readonly path: readonly string[];
  readonly field: unknown;
}

/** What a query of Drizzle holds (drizzle-orm/better-sqlite3/session.js). */
interface Query {
  readonly query: { readonly params: readonly unknown[] };
  readonly stmt: KeptStatement;
  readonly fields: readonly Field[] | undefined;
  readonly customResultMapper: unknown;
  run: (values?: Values) => unknown;
  get: (values?: Values) => unknown;
  all: (values?: Values) => unknown;
  values: (values?: Values) => unknown;
}

interface Session {
  prepareQuery: (...args: unknown[]) => Query;
}

/** One parameter of a statement: a value, or what makes one of the values that a call gives. */
type Parameter = { readonly name: string; readonly encode: ((value: unknown) => unknown) | undefined } | { readonly value: unknown };

const { mapFromDriverValue: asRead } = Column.prototype as Pick<Column, 'mapFromDriverValue'>;
const { mapToDriverValue: asGiven } = Column.prototype as Pick<Column, 'mapToDriverValue'>;

function parameterOf(parameter: unknown): Parameter {
  if (is(parameter, Placeholder)) return { name: parameter.name, encode: undefined };
  if (!is(parameter, Param) || !is(parameter.value, Placeholder)) return { value: parameter };
  const { encoder, value } = parameter;
  const isPlain = encoder.mapToDriverValue === asGiven;
  return { name: value.name, encode: isPlain ? undefined : (given) => encoder.mapToDriverValue(given) };
}

/** The values of a statement's parameters, in their order. @throws Error for a placeholder without a value */
function filling(parameters: readonly unknown[]): (values: Values | undefined) => unknown[] {
  const plan = parameters.map(parameterOf);
  return (values) =>
    plan.map((part) => {
      if ('value' in part) return part.value;
      const { name, encode } = part;
      if (values === undefined || !(name in values)) throw new Error(`No value for placeholder "${name}" was provided`);
      return encode === undefined ? values[name] : encode(values[name]);
    });
}

function decoderOf(field: unknown): DriverValueDecoder<unknown, unknown> {
  if (is(field, Column)) return field;
  return is(field, SQL)
    ? (field as unknown as { readonly decoder: DriverValueDecoder<unknown, unknown> }).decoder
    : (field as { readonly sql: { readonly decoder: DriverValueDecoder<unknown, unknown> } }).sql.decoder;
}

/** Makes an object of a row; undefined where Drizzle must do it: rows with objects in them, subqueries. */
function mapping(fields: readonly Field[]): ((row: readonly unknown[]) => Record<string, unknown>) | undefined {
  if (fields.some(({ path, field }) => path.length !== 1 || !(is(field, Column) || is(field, SQL) || is(field, SQL.Aliased))))
    return undefined;
  const plan = fields.map(({ path, field }) => {
    const decoder = decoderOf(field);
    const isPlain = decoder.mapFromDriverValue === asRead;
    return { name: path[0] ?? '', decode: isPlain ? undefined : (value: unknown) => decoder.mapFromDriverValue(value) };
  });
  return (row) => {
    const object: Record<string, unknown> = {};
    plan.forEach(({ name, decode }, i) => {
      const value = row[i];
      object[name] = value === null || decode === undefined ? value : decode(value);
    });
    return object;
  };
}

/** Replaces what a query does with parameters and rows: it is decided once what each of them needs, and not with every call. */
function plan(query: Query): Query {
  const { stmt, fields, customResultMapper } = query;
  let fill: ReturnType<typeof filling> | undefined;
  const filled = (values: Values | undefined): unknown[] => (fill ??= filling(query.query.params))(values);
  query.run = (values) => stmt.run(...filled(values));
  query.values = (values) => stmt.raw().all(...filled(values));
  if (customResultMapper !== undefined) return query;
  if (fields === undefined) {
    query.get = (values) => stmt.get(...filled(values));
    query.all = (values) => stmt.all(...filled(values));
    return query;
  }
  const own = { get: query.get.bind(query), all: query.all.bind(query) };
  // Not before it is needed: most queries that are built with a call run once.
  let found: { readonly map: ReturnType<typeof mapping> } | undefined;
  const mapper = (): ReturnType<typeof mapping> => (found ??= { map: mapping(fields) }).map;
  query.get = (values) => {
    const map = mapper();
    if (map === undefined) return own.get(values);
    const row = stmt.raw().get(...filled(values)) as readonly unknown[] | undefined;
    return row === undefined ? undefined : map(row);
  };
  query.all = (values) => {
    const map = mapper();
    return map === undefined ? own.all(values) : (stmt.raw().all(...filled(values)) as readonly (readonly unknown[])[]).map(map);
  };
  return query;
}

/**
 * Makes the queries of a database quicker: Drizzle looks up, for each parameter and each column of each row, what kind it is
 * (docs/decisions/2026-12-01-planned-queries.md). Results and errors are the same.
 */
export function planQueries(db: BetterSQLite3Database): void {
  const { session } = db as unknown as { readonly session: Session };
  const prepare = session.prepareQuery.bind(session);
  session.prepareQuery = (...args) => plan(prepare(...args));
}
