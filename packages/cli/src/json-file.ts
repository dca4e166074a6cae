import { readFileSync } from 'node:fs';
import { jsonFault, SourceText } from '@verbalis/core/problems';
import { UsageError } from './output.js';

/** JSON from a file, or from standard input for "-". @throws UsageError with the place of what is wrong */
export function readJson(file: string): unknown {
  let text: string;
  try {
    text = readFileSync(file === '-' ? 0 : file, 'utf8');
  } catch (error) {
    throw new UsageError(`The file ${file} cannot be read: ${error instanceof Error ? error.message : String(error)}`);
  }
  try {
    return JSON.parse(text) as unknown;
  } catch {
    const fault = jsonFault(text);
    const { line, column } = new SourceText(file, text).place(fault.offset);
    throw new UsageError(`${file === '-' ? 'Standard input' : file} is not JSON: line ${line}, column ${column}: ${fault.message}.`);
  }
}
