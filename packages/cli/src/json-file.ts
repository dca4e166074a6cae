import { readFileSync } from 'node:fs';
import { jsonFault, SourceText } from '@verbalis/core/problems';
import { fileFault } from '@verbalis/core/system';
import { UsageError } from './output.js';

/** A text from a file, or from standard input for "-". @throws UsageError */
export function readText(file: string): string {
  try {
    return readFileSync(file === '-' ? 0 : file, 'utf8');
  } catch (error) {
    throw new UsageError(`The file ${file} cannot be read: ${fileFault(error)}.`);
  }
}

/** JSON from a file, or from standard input for "-". @throws UsageError with the place of what is wrong */
export function readJson(file: string): unknown {
  const text = readText(file);
  try {
    return JSON.parse(text) as unknown;
  } catch {
    const fault = jsonFault(text);
    const { line, column } = new SourceText(file, text).place(fault.offset);
    throw new UsageError(`${file === '-' ? 'Standard input' : file} is not JSON: line ${line}, column ${column}: ${fault.message}.`);
  }
}
