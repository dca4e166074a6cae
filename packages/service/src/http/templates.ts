import { randomBytes } from 'node:crypto';
import { shownAs, type MailPreview, type TemplateState } from '@verbalis/core/preview';
import { didYouMean, type Problem } from '@verbalis/core/problems';
import { Router } from 'express';
import type { z } from 'zod';
import type { Clock } from '../kernel/index.js';
import { Refusal } from '../refusal.js';
import { ThreadFault } from '../kernel/thread.js';
import { SaveFault, type FolderView, type Shown, type Writing, type WritingNow } from '../writing/index.js';
import { callerOf, needs } from './access.js';
import { sendFrame } from './frame.js';
import { parse } from './problem.js';
import { openStream } from './stream.js';
import {
  FrameQuery,
  RenderWanted,
  SaveFile,
  TestMail,
  type Rendered,
  type SourceProblem,
  type TemplateSummary,
} from './template-schemas.js';

/** Sends a mail that was rendered to be looked at. Refusals are thrown. */
export interface TestSending {
  readonly ways: (space: string) => string[];
  readonly send: (space: string, mail: MailPreview, to: string, by: string) => Promise<{ detail: string; capturedId?: string }>;
}

export interface TemplatesOptions {
  readonly writing: Writing;
  readonly clock: Clock;
  readonly testing: TestSending;
}

/** Renderings that can still be shown. */
const MOST_FRAMES = 60;

function problemView({ place, code, severity, message, hint }: Problem): z.input<typeof SourceProblem> {
  return { file: place.file, line: place.line, column: place.column, code, severity, message, hint };
}

function summary(name: string, state: TemplateState | undefined): z.input<typeof TemplateSummary> {
  const of = (severity: Problem['severity']): number => state?.problems.filter((one) => one.severity === severity).length ?? 0;
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
    advice: of('advice'),
  };
}

function roleOf(path: string): 'source' | 'text' | 'schema' | 'sample' | 'shared' {
  if (!path.startsWith('templates/')) return 'shared';
  if (path.endsWith('/data.schema.json')) return 'schema';
  if (path.includes('/samples/')) return 'sample';
  return path.endsWith('.txt') ? 'text' : 'source';
}

/** The source without a locale stands before those with one. */
function depth(path: string): number {
  return path.split('.').length;
}

/** Templates of an edition or of a folder, and mails rendered from them. */
export function templatesRouter({ writing, clock, testing }: TemplatesOptions): Router {
  const router = Router();
  const frames = new Map<string, MailPreview>();
  const current = (space: string, edition: unknown): WritingNow => {
    const number = typeof edition === 'string' ? Number(edition) : typeof edition === 'number' ? edition : undefined;
    const found = writing.now(space, number);
    if (found === undefined)
      throw new Refusal(404, 'no-edition', number === undefined ? 'Nothing is published to this space yet' : 'There is no such edition', {
        hint: 'verbalis publish MAILFOLDER makes one; verbalis preview MAILFOLDER shows a folder without a service.',
      });
    return found;
  };
  const known = (view: FolderView, name: string): void => {
    if (view.names.includes(name)) return;
    throw new Refusal(404, 'unknown-template', 'There is no such template', {
      detail: `No template "${name}".`,
      hint: didYouMean(name, view.names),
    });
  };
  /** A folder that cannot be looked at within the bounds is told to who asked; the service goes on. */
  const ask: FolderView['ask'] extends infer A ? (view: FolderView) => A : never = (view) => async (method, input) => {
    try {
      return await view.ask(method, input);
    } catch (error) {
      if (!(error instanceof ThreadFault)) throw error;
      throw new Refusal(422, 'folder-bounds', 'This mail folder cannot be looked at', {
        detail: error.message,
        hint: 'Something in it grows without end, or is far too large: look at what was changed last.',
      });
    }
  };

  router.get('/', needs('read'), async (request, response) => {
    const { space } = callerOf(request);
    const { view, edition } = current(space, request.query['edition']);
    // An edition is looked at as a whole; a folder that is being worked on in the background, so that its page is there at once.
    const { problems, states } = await ask(view)('overview', { all: writing.folder === undefined, now: clock.now() });
    response.json({
      edition,
      folder: writing.folder,
      editable: writing.editable,
      testBy: testing.ways(space),
      problems: problems.map(problemView),
      templates: view.names.map((name, i) => summary(name, states[i])),
    });
  });

  router.get('/changes', needs('read'), (request, response) => {
    const stream = openStream(request, response);
    stream.onClose(
      writing.onChange((paths) => {
        stream.send(paths.length === 0 ? { event: 'looked', data: {} } : { event: 'changed', data: { paths } });
      }),
    );
  });

  router.get('/frames/:frame', needs('read'), (request, response) => {
    const { scheme, pictures, stripped } = parse(FrameQuery, request.query);
    const mail = frames.get(String(request.params['frame']));
    if (mail === undefined) throw new Refusal(404, 'unknown-frame', 'This rendering is not kept any more', { hint: 'Render it again.' });
    sendFrame(response, shownAs(mail.html, { scheme, stripped: stripped === 'yes' }), pictures, true);
  });
  router.get('/frames/:frame/html', needs('read'), (request, response) => {
    response.type('text/plain').send(frames.get(String(request.params['frame']))?.htmlSource ?? '');
  });
  router.get('/frames/:frame/source', needs('read'), (request, response) => {
    response.type('text/plain').send(Buffer.from(frames.get(String(request.params['frame']))?.source ?? []));
  });

  router.put('/files', needs('write'), async (request, response) => {
    const { path, text, was } = parse(SaveFile, request.body);
    try {
      await writing.save(path, text, was);
    } catch (error) {
      if (!(error instanceof SaveFault)) throw error;
      throw new Refusal(409, 'not-saved', 'The file was not saved', { detail: error.message });
    }
    response.status(204).end();
  });

  router.get('/:name', needs('read'), async (request, response) => {
    const { space } = callerOf(request);
    const name = String(request.params['name']);
    const { view, edition } = current(space, request.query['edition']);
    known(view, name);
    const state = await ask(view)('state', { name, now: clock.now() });
    const template = await ask(view)('data', { name });
    const paths = [...view.files.keys()].filter(
      (path) =>
        path.startsWith(`templates/${name}/`) ||
        (/^(?:layouts|blocks|strings|styles)\//.test(path) && !path.includes('/.')) ||
        ['mail.yaml', 'theme.tokens.json'].includes(path),
    );
    const order = ['source', 'text', 'schema', 'sample', 'shared'];
    response.json({
      ...summary(name, state),
      edition,
      editable: writing.editable,
      testBy: testing.ways(space),
      problems: (state?.problems ?? []).map(problemView),
      files: paths
        .map((path) => ({ path, text: Buffer.from(view.files.get(path) ?? []).toString('utf8'), role: roleOf(path) }))
        .sort((a, b) => order.indexOf(a.role) - order.indexOf(b.role) || depth(a.path) - depth(b.path) || a.path.localeCompare(b.path)),
      data: Object.fromEntries(template?.samples ?? []),
      schema: template?.schema ?? {},
    });
  });

  const rendered = async (
    space: string,
    name: string,
    { edition, edits, ...wish }: z.infer<typeof RenderWanted>,
  ): Promise<Shown & { readonly milliseconds: number }> => {
    const from = performance.now();
    const { view: saved } = current(space, edition);
    const view = edits === undefined || Object.keys(edits).length === 0 ? saved : writing.withEdits(saved, edits);
    known(view, name);
    const shown = await ask(view)('render', { name, wish, now: clock.now() });
    return { ...shown, milliseconds: performance.now() - from };
  };

  router.post('/:name/render', needs('read'), async (request, response) => {
    const { space } = callerOf(request);
    const { mail, dataProblems, problems, milliseconds } = await rendered(
      space,
      String(request.params['name']),
      parse(RenderWanted, request.body),
    );
    let frame = '';
    if (mail !== undefined) {
      frame = randomBytes(12).toString('base64url');
      frames.set(frame, mail);
      if (frames.size > MOST_FRAMES) frames.delete(frames.keys().next().value ?? '');
    }
    const seen = new Set<string>();
    const view: z.input<typeof Rendered> = {
      mail:
        mail === undefined
          ? undefined
          : {
              frame,
              locale: mail.locale,
              subject: mail.subject,
              preview: mail.preview,
              text: mail.text,
              htmlBytes: mail.htmlBytes,
              bytes: mail.source.length,
              clipLimit: mail.clipLimit,
              links: [...mail.links],
            },
      dataProblems: [...dataProblems],
      problems: problems.map(problemView).filter((one) => {
        const key = JSON.stringify(one);
        return !seen.has(key) && seen.add(key);
      }),
      milliseconds: Math.round(milliseconds * 10) / 10,
    };
    response.json(view);
  });

  router.post('/:name/test', needs('send'), async (request, response) => {
    const { space } = callerOf(request);
    const { to, by, ...wanted } = parse(TestMail, request.body);
    const { mail, dataProblems, problems } = await rendered(space, String(request.params['name']), wanted);
    if (mail === undefined)
      throw new Refusal(422, 'not-rendered', 'The mail cannot be made', {
        detail: dataProblems[0]?.message ?? problems[0]?.message,
        hint: 'Render it to see all that is wrong.',
      });
    response.status(202).json(await testing.send(space, mail, to, by));
  });

  return router;
}
