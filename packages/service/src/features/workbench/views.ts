import type { TemplateState } from '@verbalis/core/preview';
import type { Problem } from '@verbalis/core/problems';
import type * as z from 'zod';
import type { RenderedMail, SourceProblem, TemplateDetail, TemplateSummary } from './model.js';
import type { MailPreview } from '@verbalis/core/preview';
import type { FolderView } from './view.js';

// Templates, problems and renderings as the API shows them.

export function problemView({ place, code, severity, message, hint }: Problem): z.input<typeof SourceProblem> {
  return { file: place.file, line: place.line, column: place.column, code, severity, message, hint };
}

export function templateSummary(name: string, state: TemplateState | undefined): z.input<typeof TemplateSummary> {
  const of = (severity: Problem['severity']): number => state?.problems.filter((problem) => problem.severity === severity).length ?? 0;
  return {
    name,
    checked: state !== undefined,
    topic: state?.topic,
    kind: state?.kind,
    locales: [...(state?.locales ?? [])],
    untranslated: [...(state?.untranslated ?? [])],
    samples: [...(state?.samples ?? [])],
    errors: of('error'),
    warnings: of('warning'),
    suggestions: of('suggestion'),
  };
}

type SourceFile = z.input<typeof TemplateDetail>['files'][number];
const ROLES = ['source', 'text', 'schema', 'sample', 'shared'] as const;

function roleOf(path: string): SourceFile['role'] {
  if (!path.startsWith('templates/')) return 'shared';
  if (path.endsWith('/data.schema.json')) return 'schema';
  if (path.includes('/samples/')) return 'sample';
  return path.endsWith('.txt') ? 'text' : 'source';
}

/** The source without a locale stands before those with one. */
const depth = (path: string): number => path.split('.').length;

/** The files that a template is made of: its own first, then what all share. */
export function sourceFiles({ files }: FolderView, name: string): SourceFile[] {
  const isOf = (path: string): boolean =>
    path.startsWith(`templates/${name}/`) ||
    (/^(?:layouts|blocks|strings|styles)\//.test(path) && !path.includes('/.')) ||
    ['mail.yaml', 'theme.tokens.json'].includes(path);
  return [...files]
    .filter(([path]) => isOf(path))
    .map(([path, bytes]) => ({ path, text: Buffer.from(bytes).toString('utf8'), role: roleOf(path) }))
    .sort((a, b) => ROLES.indexOf(a.role) - ROLES.indexOf(b.role) || depth(a.path) - depth(b.path) || a.path.localeCompare(b.path));
}

/** @param frame where its HTML is shown */
export function renderedMail(mail: MailPreview, frame: string): z.input<typeof RenderedMail> {
  const { locale, subject, preview, text, htmlBytes, source, clipLimit, links } = mail;
  return { frame, locale, subject, preview, text, htmlBytes, bytes: source.length, clipLimit, links: [...links] };
}
