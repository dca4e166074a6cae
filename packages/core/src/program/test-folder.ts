import { linkFolder, type MailProject } from '../folder/index.js';
import type { Problem } from '../problems/index.js';
import { prepare, type Rendering } from '../render/index.js';
import type { JsonSchema } from '../typing/index.js';
import { compileFolder, type CompiledFolder } from './index.js';

/** A mail folder made up for a test, compiled. */
export interface TestFolder {
  readonly project: MailProject;
  readonly compiled: CompiledFolder;
  readonly problems: readonly Problem[];
  /** Codes of the problems, without the warnings of fields that nothing uses. */
  readonly codes: readonly string[];
  readonly locales: readonly string[];
  /** Renders the template "t". @throws Error with the problems when it has none that can be rendered */
  readonly render: (data: unknown, locale?: string, now?: number) => Rendering;
}

const NOW = Date.parse('2026-06-04T08:00:00Z');

/** Compiles a folder whose template is "t"; `files` come on top of what a folder needs. */
export function testFolder(
  schema: JsonSchema,
  files: Readonly<Record<string, string>>,
  settings = 'baseUrl: https://shop.example/base/\n',
): TestFolder {
  const all: Record<string, string> = {
    'mail.yaml': `name: T\n${settings}`,
    'templates/t/data.schema.json': JSON.stringify(schema),
    ...files,
  };
  const project = linkFolder(new Map(Object.entries(all).map(([path, text]) => [path, Buffer.from(text)])));
  const compiled = compileFolder(project);
  const template = compiled.templates.get('t');
  return {
    project,
    compiled,
    problems: compiled.problems,
    codes: compiled.problems.filter((problem) => problem.code !== 'unused-field').map((problem) => problem.code),
    locales: [...(template?.programs.keys() ?? [])],
    render: (data, locale = 'en', now = NOW) => {
      const program = template?.programs.get(locale);
      if (program === undefined) throw new Error(JSON.stringify(compiled.problems, null, 1));
      return prepare(program)({ data, now });
    },
  };
}

/** A Markdown source. */
export const md = (body: string, front = 'subject: "S"'): string => `---\n${front}\n---\n${body}`;

/** The schema of an object whose fields are all required. */
export const object = (properties: Record<string, unknown>, more: Record<string, unknown> = {}): { readonly [key: string]: unknown } => ({
  type: 'object',
  additionalProperties: false,
  required: Object.keys(properties),
  properties,
  ...more,
});
