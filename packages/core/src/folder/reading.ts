import { depthOf, jsonFault, MAX_DEPTH, problem, SourceText, type Problem } from '../problems/index.js';

/** A mail folder as data: path with "/" between, relative to the folder, to bytes. */
export type MailFiles = ReadonlyMap<string, Uint8Array>;

/** What reading the files of a folder needs at hand. */
export interface FolderReading {
  readonly files: MailFiles;
  readonly problems: Problem[];
  /** Texts read so far, by path. */
  readonly texts: Map<string, string>;
}

/** The text of a file, decoded once; `undefined` when there is no such file. */
export function readText({ files, problems, texts }: FolderReading, path: string): string | undefined {
  const bytes = files.get(path);
  if (bytes === undefined) return undefined;
  const known = texts.get(path);
  if (known !== undefined) return known;
  let text: string;
  try {
    text = new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    text = new TextDecoder('utf-8').decode(bytes);
    problems.push(
      problem(
        'encoding',
        new SourceText(path, text).place(Math.max(0, text.indexOf('\uFFFD'))),
        'This file is not UTF-8.',
        'Save it as UTF-8.',
      ),
    );
  }
  texts.set(path, text);
  return text;
}

/** "../schemas/booking.schema.json", as it is written in a file of a folder, from the mail folder's root. */
export function pathFrom(folder: string, written: string): string {
  const steps = folder.split('/');
  for (const step of written.split('/')) {
    if (step === '..') steps.pop();
    else if (step !== '.' && step !== '') steps.push(step);
  }
  return steps.join('/');
}

/** The value of a JSON file; undefined if it is missing or invalid. */
export function readJson(file: string, text: string | undefined, problems: Problem[]): unknown {
  if (text === undefined) return undefined;
  try {
    const value = JSON.parse(text) as unknown;
    if (depthOf(value) <= MAX_DEPTH) return value;
    problems.push(problem('nesting', new SourceText(file, text).whole, `This file nests deeper than ${MAX_DEPTH} levels.`));
    return undefined;
  } catch {
    const fault = jsonFault(text);
    problems.push(
      problem('json', new SourceText(file, text).place(fault.offset, fault.length), `This is not valid JSON: ${fault.message}.`),
    );
    return undefined;
  }
}
