import { Fault, problem, SourceText } from '../problems/index.js';
import {
  dataCheck,
  maskingOf,
  schemaBoundFault,
  SENSITIVE,
  sensitiveFault,
  type DataCheck,
  type JsonSchema,
  type Masking,
} from '../typing/index.js';
import { readJson, readText, type FolderReading } from './reading.js';
import { withReferences } from './schema-references.js';

/** A data schema, ready to check data. */
export interface DataSchema {
  readonly schema: JsonSchema;
  readonly checkData: DataCheck;
  /** How its sensitive fields are hidden; undefined where it marks none. */
  readonly masking: Masking | undefined;
}

/** Reads a data schema; `undefined` if it is missing or invalid. */
export function readSchemaFile(reading: FolderReading, file: string): DataSchema | undefined {
  const { problems } = reading;
  const text = readText(reading, file);
  const written = readJson(file, text, problems) as JsonSchema | undefined;
  if (written === undefined) return undefined;
  const schema = withReferences(reading, file, written);
  const tooMuch = schemaBoundFault(schema);
  if (tooMuch !== undefined) {
    problems.push(problem('schema-size', new SourceText(file, '').whole, tooMuch, 'Say less: what is not shown needs no schema.'));
    return undefined;
  }
  const notATruth = sensitiveFault(schema);
  if (notATruth !== undefined) {
    problems.push(
      problem(
        'schema',
        new SourceText(file, '').whole,
        `"${SENSITIVE}" must be true or false (${notATruth}).`,
        `Write: "${SENSITIVE}": true`,
      ),
    );
    return undefined;
  }
  try {
    return { schema, checkData: dataCheck(schema), masking: maskingOf(schema) };
  } catch (error) {
    if (!(error instanceof Fault)) throw error;
    problems.push(problem('schema', new SourceText(file, text ?? '').place(0), schemaMessage(error.message)));
    return undefined;
  }
}

function schemaMessage(message: string): string {
  return /^The pattern /.test(message) ? message : `This is no valid JSON Schema: ${message.replace(/\.?$/, '.')}`;
}
