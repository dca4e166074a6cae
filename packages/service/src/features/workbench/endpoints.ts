import { randomBytes } from 'node:crypto';
import { shownAs, type MailPreview } from '@verbalis/core/preview';
import { didYouMean } from '@verbalis/core/problems';
import type { LRUCache } from 'lru-cache';
import type * as z from 'zod';
import {
  content,
  empty,
  endpointsOf,
  eventStream,
  json,
  jsonBody,
  openStream,
  Refusal,
  Reply,
  textParams,
  type Caller,
  type Clock,
} from '../../kernel/index.js';
import { ThreadFault } from '../../kernel/thread.js';
import { sendFrame } from '../mail-view/index.js';
import {
  EditionQuery,
  PreviewQuery,
  Rendered,
  RenderRequest,
  SaveFile,
  TemplateDetail,
  TemplateList,
  TestMail,
  TestMailMade,
} from './model.js';
import type { FolderView, Shown, ViewCalls } from './view.js';
import { problemView, renderedMail, sourceFiles, templateSummary } from './views.js';
import type { Workbench, WorkbenchNow } from './workbench.js';

/** Sends an email that was rendered to be looked at. Refusals are thrown. */
export interface TestSending {
  readonly ways: (caller: Caller) => string[];
  readonly send: (
    caller: Caller,
    mail: MailPreview,
    how: { readonly to: string; readonly by: string },
  ) => Promise<z.input<typeof TestMailMade>>;
}

export interface TemplateEndpoints {
  readonly workbench: Workbench;
  readonly clock: Clock;
  readonly testing: TestSending;
  /** Renderings that can still be shown, by a name that cannot be guessed. */
  readonly frames: LRUCache<string, MailPreview>;
}

const endpoint = endpointsOf<TemplateEndpoints>();

/** @throws Refusal where there is no such edition, or none yet */
function current({ workbench }: TemplateEndpoints, space: string, edition: number | undefined): WorkbenchNow {
  const now = workbench.now(space, edition);
  if (now !== undefined) return now;
  throw new Refusal(404, 'no-edition', edition === undefined ? 'Nothing is published to this space yet' : 'There is no such edition', {
    hint: 'verbalis publish MAILFOLDER makes one; verbalis preview MAILFOLDER shows a folder without a service.',
  });
}

function refuseUnknown({ names }: FolderView, name: string): void {
  if (names.includes(name)) return;
  throw new Refusal(404, 'unknown-template', 'There is no such template', {
    detail: `No template "${name}".`,
    hint: didYouMean(name, names),
  });
}

/** Asks the thread about a folder. @throws Refusal when the folder goes past its bounds; the service goes on */
async function ask<M extends keyof ViewCalls>(view: FolderView, method: M, input: ViewCalls[M]['input']): Promise<ViewCalls[M]['output']> {
  try {
    return await view.ask(method, input);
  } catch (error) {
    if (!(error instanceof ThreadFault)) throw error;
    throw new Refusal(422, 'folder-bounds', 'This mail folder cannot be processed', {
      detail: error.message,
      hint: 'Something in it grows without end, or is far too large: look at what was changed last.',
    });
  }
}

const list = endpoint({
  name: 'templates.list',
  method: 'get',
  path: '/v1/templates',
  summary: 'Templates of an edition, with their state',
  scope: 'read',
  query: EditionQuery,
  answers: { 200: json('All of them.', TemplateList) },
  async run({ caller, query }, deps) {
    const { space } = caller;
    const { workbench, clock, testing } = deps;
    const { view, edition } = current(deps, space, query.edition);
    // An edition is looked at as a whole; a folder that is being worked on in the background, so that its page is there at once.
    const { problems, states } = await ask(view, 'overview', { all: workbench.folder === undefined, now: clock.now() });
    return {
      edition,
      folder: workbench.folder,
      editable: workbench.editable,
      testBy: testing.ways(caller),
      problems: problems.map(problemView),
      templates: view.names.map((name, i) => templateSummary(name, states[i])),
    };
  },
});

const changes = endpoint({
  name: 'templates.changes',
  method: 'get',
  path: '/v1/templates/changes',
  summary: 'Changes of a folder that is being worked on (server-sent events)',
  scope: 'read',
  answers: { 200: eventStream('Events "changed" with paths, and "looked" when more is known of the same files.') },
  run({ caller, request, response }, { workbench }) {
    const stream = openStream({ caller, request, response });
    stream.onClose(
      workbench.onChange((paths) => {
        stream.send(paths.length === 0 ? { event: 'looked', data: {} } : { event: 'changed', data: { paths } });
      }),
    );
    return undefined;
  },
});

const save = endpoint({
  name: 'templates.save',
  method: 'put',
  path: '/v1/templates/files',
  summary: 'Write a source file, in a local preview that is editable',
  scope: 'write',
  body: jsonBody(SaveFile),
  answers: { 204: empty('Written.') },
  refusals: { 409: 'The file has changed in the meantime, or is not editable.' },
  async run({ body: { path, text, was } }, { workbench }) {
    await workbench.save(path, text, was);
    return undefined;
  },
});

function frameOf({ frames }: TemplateEndpoints, name: string): MailPreview {
  const mail = frames.get(name);
  if (mail === undefined) throw new Refusal(404, 'unknown-frame', 'This rendering is not kept any more', { hint: 'Render it again.' });
  return mail;
}

const frame = endpoint({
  name: 'templates.frame',
  method: 'get',
  path: '/v1/frames/{frame}',
  summary: 'A rendered email as a page for a sandboxed frame',
  scope: 'read',
  params: textParams('frame'),
  query: PreviewQuery,
  answers: { 200: content('HTML under a policy that lets nothing run.', 'text/html') },
  run({ params, query: { scheme, pictures, stripped }, response }, deps) {
    const { html } = frameOf(deps, params.frame);
    sendFrame(response, shownAs(html, { scheme, stripped: stripped === 'yes' }), pictures, { readable: true });
    return undefined;
  },
});

const frameHtml = endpoint({
  name: 'templates.frameHtml',
  method: 'get',
  path: '/v1/frames/{frame}/html',
  summary: 'The HTML that is sent',
  scope: 'read',
  params: textParams('frame'),
  answers: { 200: content('HTML, as text.', 'text/plain') },
  run: ({ params }, deps) => new Reply(frameOf(deps, params.frame).htmlSource),
});

const frameSource = endpoint({
  name: 'templates.frameSource',
  method: 'get',
  path: '/v1/frames/{frame}/source',
  summary: 'The whole email (RFC 5322)',
  scope: 'read',
  params: textParams('frame'),
  answers: { 200: content('The email, as text.', 'text/plain') },
  run: ({ params }, deps) => new Reply(frameOf(deps, params.frame).source),
});

const get = endpoint({
  name: 'templates.get',
  method: 'get',
  path: '/v1/templates/{name}',
  summary: 'One template with its sources, samples and problems',
  scope: 'read',
  params: textParams('name'),
  query: EditionQuery,
  answers: { 200: json('The template.', TemplateDetail) },
  async run({ caller, params: { name }, query }, deps) {
    const { space } = caller;
    const { workbench, clock, testing } = deps;
    const { view, edition } = current(deps, space, query.edition);
    refuseUnknown(view, name);
    const state = await ask(view, 'state', { name, now: clock.now() });
    const template = await ask(view, 'data', { name });
    return {
      ...templateSummary(name, state),
      edition,
      editable: workbench.editable,
      testBy: testing.ways(caller),
      problems: (state?.problems ?? []).map(problemView),
      files: sourceFiles(view, name),
      data: Object.fromEntries(template?.samples ?? []),
      schema: template?.schema ?? {},
    };
  },
});

/** Renders a template of a space, with texts that are not saved laid over it. */
async function renderedOf(
  deps: TemplateEndpoints,
  { space, name }: { readonly space: string; readonly name: string },
  { edition, edits, advice, ...wish }: z.output<typeof RenderRequest>,
): Promise<Shown> {
  const { view: saved } = current(deps, space, edition);
  const view = edits === undefined || Object.keys(edits).length === 0 ? saved : deps.workbench.withEdits(saved, edits);
  refuseUnknown(view, name);
  return ask(view, 'render', { name, wish, advice, now: deps.clock.now() });
}

const render = endpoint({
  name: 'templates.render',
  method: 'post',
  path: '/v1/templates/{name}/render',
  summary: 'Render an email from a sample or from data',
  scope: 'read',
  audited: 'nothing',
  params: textParams('name'),
  body: jsonBody(RenderRequest),
  answers: { 200: json('The email, or what is wrong.', Rendered) },
  isRepeatable: true,
  async run({ caller: { space }, params: { name }, body }, deps) {
    const from = performance.now();
    const { mail, dataProblems, problems } = await renderedOf(deps, { space, name }, body);
    const shownIn = randomBytes(12).toString('base64url');
    if (mail !== undefined) deps.frames.set(shownIn, mail);
    const distinct = new Map(problems.map(problemView).map((problem) => [JSON.stringify(problem), problem]));
    return {
      mail: mail === undefined ? undefined : renderedMail(mail, shownIn),
      dataProblems: [...dataProblems],
      problems: [...distinct.values()],
      milliseconds: Math.round((performance.now() - from) * 10) / 10,
    };
  },
});

const test = endpoint({
  name: 'templates.test',
  method: 'post',
  path: '/v1/templates/{name}/test',
  summary: 'Send a rendered email as a test',
  scope: 'send',
  params: textParams('name'),
  body: jsonBody(TestMail),
  answers: { 202: json('Where it was sent.', TestMailMade) },
  refusals: { 409: 'Nothing is there to send it through.', 502: 'The provider did not accept it.' },
  async run({ caller, params: { name }, body: { to, by, ...wanted } }, deps) {
    const { space } = caller;
    const { mail, dataProblems, problems } = await renderedOf(deps, { space, name }, wanted);
    if (mail !== undefined) return deps.testing.send(caller, mail, { to, by });
    throw new Refusal(422, 'not-rendered', 'The email cannot be rendered', {
      detail: dataProblems[0]?.message ?? problems[0]?.message ?? 'Something in the template is wrong.',
      hint: 'Render it to see all that is wrong.',
    });
  },
});

/** Templates of an edition or of a folder, and emails rendered from them. */
export const templateEndpoints = [list, changes, save, frame, frameHtml, frameSource, get, render, test];
