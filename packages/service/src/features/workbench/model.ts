import * as z from 'zod';
import { RequestFault } from '../../kernel/index.js';
import { Locale } from '../messages/index.js';

// The shapes of what the step Write shows.

export const SourceProblem = z
  .strictObject({
    file: z.string(),
    line: z.int(),
    column: z.int(),
    code: z.string(),
    severity: z.enum(['error', 'warning', 'suggestion']),
    message: z.string(),
    hint: z.string().optional(),
  })
  .meta({ id: 'SourceProblem' });

export const TemplateSummary = z
  .strictObject({
    name: z.string(),
    checked: z.boolean().meta({ description: 'Whether it was looked at already; in a large folder that takes a moment.' }),
    topic: z.string().optional(),
    kind: z.enum(['md', 'html']).optional(),
    locales: z.array(z.string()),
    untranslated: z.array(z.string()).meta({ description: 'Locales that the folder has and this template does not.' }),
    samples: z.array(z.string()),
    errors: z.int(),
    warnings: z.int(),
    suggestions: z.int(),
  })
  .meta({ id: 'TemplateSummary' });

export const TemplateList = z
  .strictObject({
    edition: z.int().optional().meta({ description: 'The edition that contains them.' }),
    folder: z.string().optional().meta({ description: 'The folder on the disk, in a local preview.' }),
    editable: z.boolean(),
    testBy: z.array(z.string()).meta({ description: 'What a test can be sent by.' }),
    problems: z.array(SourceProblem).meta({ description: 'Of what the templates share.' }),
    templates: z.array(TemplateSummary),
  })
  .meta({ id: 'TemplateList' });

export const TemplateDetail = z
  .strictObject({
    ...TemplateSummary.shape,
    edition: z.int().optional(),
    editable: z.boolean(),
    testBy: z.array(z.string()),
    problems: z.array(SourceProblem),
    files: z.array(z.strictObject({ path: z.string(), text: z.string(), role: z.enum(['source', 'text', 'schema', 'sample', 'shared']) })),
    data: z.record(z.string(), z.unknown()).meta({ description: 'Data of the samples, by name.' }),
    schema: z.unknown().meta({ description: 'JSON Schema of the data.' }),
  })
  .meta({ id: 'TemplateDetail' });

export const RenderRequest = z
  .strictObject({
    edition: z.int().min(1).optional(),
    sample: z.string().max(100).optional(),
    data: z.unknown().optional(),
    locale: Locale.optional(),
    edits: z
      .record(z.string().max(300), z.string().max(500_000))
      .optional()
      .meta({ description: 'Texts that replace files of the folder.' }),
    advice: z
      .boolean()
      .default(true)
      .meta({ description: 'Whether every sample is checked for suggestions, which takes longer than rendering one.' }),
  })
  .meta({ id: 'RenderRequest' });

export const RenderedMail = z
  .strictObject({
    frame: z.string().meta({ description: 'Where its HTML is shown: /v1/frames/{frame}.' }),
    locale: z.string(),
    subject: z.string(),
    preview: z.string(),
    text: z.string(),
    htmlBytes: z.int(),
    bytes: z.int().meta({ description: 'Of the whole mail.' }),
    clipLimit: z.int().meta({ description: 'After so many bytes of HTML some webmail cuts.' }),
    links: z.array(z.strictObject({ text: z.string(), href: z.string() })),
  })
  .meta({ id: 'RenderedMail' });

export const Rendered = z
  .strictObject({
    mail: RenderedMail.optional(),
    dataProblems: z.array(RequestFault),
    problems: z.array(SourceProblem),
    milliseconds: z.number().meta({ description: 'What it took.' }),
  })
  .meta({ id: 'Rendered' });

/** Of which edition; the one in use when left out. */
export const EditionQuery = z.strictObject({ edition: z.coerce.number().int().min(1).optional() });

export const PreviewQuery = z.strictObject({
  scheme: z.enum(['light', 'dark']).default('light'),
  pictures: z.enum(['none', 'own', 'all']).default('own'),
  stripped: z.enum(['yes', 'no']).default('no').meta({ description: 'Without style sheets, as harsh webmail leaves it.' }),
});

export const SaveFile = z
  .strictObject({
    path: z.string().min(1).max(300),
    text: z.string().max(2_000_000),
    was: z.string().max(2_000_000).meta({ description: 'Its text before; a file that has changed in the meantime is not overwritten.' }),
  })
  .meta({ id: 'SaveFile' });

export const TestMail = z
  .strictObject({ ...RenderRequest.shape, to: z.string().min(3).max(320), by: z.string().max(100) })
  .meta({ id: 'TestMail' });
export const TestMailMade = z.strictObject({ detail: z.string(), capturedId: z.string().optional() }).meta({ id: 'TestMailMade' });
