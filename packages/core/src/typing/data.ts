import { LRUCache } from 'lru-cache';
import { Ajv2020, type ErrorObject, type ValidateFunction } from 'ajv/dist/2020.js';
import addFormatsModule from 'ajv-formats';
import { TEXT_KINDS } from '../formats/index.js';
import { Fault, isDeeper, nearest } from '../problems/index.js';
import { compilePattern } from './pattern.js';
import type { JsonSchema } from './schema.js';

/** A value in the data that does not fit, by its path ("booking.fares[2].amount"; "" is the whole). */
export interface DataProblem {
  readonly path: string;
  readonly message: string;
  readonly hint?: string;
}

export type DataCheck = (data: unknown) => DataProblem[];

// The package is CommonJS with `exports.default`; Node's ESM view of it has the function one level down.
const addFormats = addFormatsModule as unknown as (typeof addFormatsModule)['default'];

// One instance for all schemas: making one compiles the meta-schemas, which takes longer than any of our schemas.
const AJV = new Ajv2020({
  allErrors: true,
  strict: false,
  verbose: true,
  allowUnionTypes: true,
  // Patterns run in time proportional to the text, whatever they are.
  // What its optimiser saves at run time was not measurable; it took a third of compiling (docs/performance.md).
  code: { optimize: false, regExp: Object.assign((pattern: string) => compilePattern(pattern), { code: 'compilePattern' }) },
});
addFormats(AJV);
for (const [name, { is }] of Object.entries(TEXT_KINDS)) AJV.addFormat(name, { type: 'string', validate: is });

/**
 * Makes the check of data against a data schema (JSON Schema 2020-12, formats asserted).
 * @throws Fault when the schema is not valid.
 */
export function dataCheck(schema: JsonSchema): DataCheck {
  const key = JSON.stringify(schema);
  const kept = KEPT.get(key);
  if (kept !== undefined) return kept;
  const check = compileCheck(schema);
  KEPT.set(key, check);
  return check;
}

// A folder is read again at every change of a file, and most of its schemas are as they were.
const KEPT = new LRUCache<string, DataCheck>({ max: 1000 });

/** Levels of lists and records that data may have. */
const MAX_DATA_DEPTH = 250;

function compileCheck(schema: JsonSchema): DataCheck {
  let validate: ValidateFunction;
  try {
    validate = AJV.compile(schema);
  } catch (error) {
    throw new Fault('schema', error instanceof Error ? error.message : String(error));
  }
  // The compiled check stands on its own; the instance forgets the schema, so that it does not grow with every reading of a folder.
  AJV.removeSchema(schema);
  return (data) => {
    // Deeper than that, neither this check nor what stores the data could go through it.
    if (isDeeper(data, MAX_DATA_DEPTH)) return [{ path: '', message: `nests deeper than ${MAX_DATA_DEPTH} levels` }];
    return validate(data) ? [] : (validate.errors ?? []).slice(0, 100).map(inOurWords);
  };
}

function inOurWords(error: ErrorObject): DataProblem {
  const path = pathOf(error.instancePath);
  const params = error.params as Record<string, unknown>;
  const inner = (name: unknown): string => (path === '' ? String(name) : `${path}.${String(name)}`);
  switch (error.keyword) {
    case 'required':
      return { path: inner(params['missingProperty']), message: 'is missing' };
    case 'additionalProperties':
    case 'unevaluatedProperties': {
      const name = String(params['additionalProperty'] ?? params['unevaluatedProperty']);
      const known = Object.keys((error.parentSchema?.['properties'] as object | undefined) ?? {});
      const near = nearest(name, known);
      return {
        path: inner(name),
        message: 'is not a field of the data schema',
        ...(near === undefined ? {} : { hint: `Did you mean "${near}"?` }),
      };
    }
    case 'type':
      return { path, message: `must be ${article(String(params['type']))}, is ${article(jsonType(error.data))}` };
    case 'enum':
      return {
        path,
        message: `must be one of: ${(params['allowedValues'] as unknown[]).map((value) => JSON.stringify(value)).join(', ')}`,
      };
    case 'const':
      return { path, message: `must be ${JSON.stringify(params['allowedValue'])}` };
    case 'format':
      return { path, message: `must be a valid ${String(params['format'])}`, ...formatHint(String(params['format'])) };
    default:
      return { path, message: error.message ?? `does not fit "${error.keyword}"` };
  }
}

function formatHint(format: string): { hint?: string } {
  const examples: Readonly<Record<string, string>> = { email: 'name@host.example', uri: 'https://host.example/path' };
  const example = TEXT_KINDS[format]?.example ?? examples[format];
  return example === undefined ? {} : { hint: `For example "${example}".` };
}

function jsonType(value: unknown): string {
  if (value === null) return 'null';
  return Array.isArray(value) ? 'array' : typeof value;
}

function article(type: string): string {
  if (type === 'null') return 'null';
  return /^[aeiou]/.test(type) ? `an ${type}` : `a ${type}`;
}

/** "/booking/fares/2/amount" as "booking.fares[2].amount". */
function pathOf(pointer: string): string {
  return pointer
    .split('/')
    .slice(1)
    .map((step) => step.replace(/~1/g, '/').replace(/~0/g, '~'))
    .reduce((path, step) => (/^\d+$/.test(step) ? `${path}[${step}]` : path === '' ? step : `${path}.${step}`), '');
}
