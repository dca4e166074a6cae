import { z } from 'zod';
import {
  CapturedAddresses,
  CapturedCleared,
  CapturedFilterQuery,
  CapturedList,
  CapturedMail,
  CapturedQuery,
  CapturedSummary,
  CapturedWait,
  Simulation,
} from './captured-schemas.js';
import { SearchQuery, SearchResult } from './schemas.js';
import { json, refused } from './openapi-parts.js';
import { FrameQuery, Rendered, RenderWanted, SaveFile, TemplateDetail, TemplateList, TestMail, TestMailMade } from './template-schemas.js';

const id = z.string();
const name = z.string();
const ofEdition = z.object({ edition: z.coerce.number().int().optional(), space: z.string().optional() });
const text = (description: string) => ({ '200': { description, content: { 'text/plain': { schema: z.string() } } }, default: refused });
const stream = (description: string) => ({
  '200': { description, content: { 'text/event-stream': { schema: z.string() } } },
  default: refused,
});

/** The paths of the steps Write and Try. */
export const tryingPaths = {
  '/v1/search': {
    get: {
      operationId: 'search',
      summary: 'Messages, captured mail, returns and suppressions by address, id, reference or subject',
      requestParams: { query: SearchQuery },
      responses: { '200': { description: 'What fits.', content: json(SearchResult) }, default: refused },
    },
  },
  '/v1/templates': {
    get: {
      operationId: 'listTemplates',
      summary: 'Templates of an edition, with their state',
      requestParams: { query: ofEdition },
      responses: { '200': { description: 'All of them.', content: json(TemplateList) }, default: refused },
    },
  },
  '/v1/templates/changes': {
    get: { operationId: 'followTemplates', summary: 'Changes of a folder that is worked on (SSE)', responses: stream('Events.') },
  },
  '/v1/templates/files': {
    put: {
      operationId: 'saveFile',
      summary: 'Write a source, in a local preview that may',
      requestBody: { content: json(SaveFile), required: true },
      responses: { '204': { description: 'Written.' }, default: refused },
    },
  },
  '/v1/templates/frames/{frame}': {
    get: {
      operationId: 'getFrame',
      summary: 'A rendered mail as a page for a sandboxed frame',
      requestParams: { path: z.object({ frame: z.string() }), query: FrameQuery },
      responses: { '200': { description: 'HTML.', content: { 'text/html': { schema: z.string() } } }, default: refused },
    },
  },
  '/v1/templates/frames/{frame}/html': {
    get: {
      operationId: 'getFrameHtml',
      summary: 'Its HTML as it is sent',
      requestParams: { path: z.object({ frame: z.string() }) },
      responses: text('HTML.'),
    },
  },
  '/v1/templates/frames/{frame}/source': {
    get: {
      operationId: 'getFrameSource',
      summary: 'Its whole mail',
      requestParams: { path: z.object({ frame: z.string() }) },
      responses: text('RFC 5322.'),
    },
  },
  '/v1/templates/{name}': {
    get: {
      operationId: 'getTemplate',
      summary: 'One template with its sources, samples and problems',
      requestParams: { path: z.object({ name }), query: ofEdition },
      responses: { '200': { description: 'The template.', content: json(TemplateDetail) }, default: refused },
    },
  },
  '/v1/templates/{name}/render': {
    post: {
      operationId: 'renderTemplate',
      summary: 'Render a mail from a sample or from data',
      requestParams: { path: z.object({ name }) },
      requestBody: { content: json(RenderWanted), required: true },
      responses: { '200': { description: 'The mail, or what is wrong.', content: json(Rendered) }, default: refused },
    },
  },
  '/v1/templates/{name}/test': {
    post: {
      operationId: 'sendTest',
      summary: 'Send a rendered mail to somebody, to see it arrive',
      requestParams: { path: z.object({ name }) },
      requestBody: { content: json(TestMail), required: true },
      responses: { '202': { description: 'Where it went.', content: json(TestMailMade) }, default: refused },
    },
  },
  '/v1/editions/{number}/files/{path}': {
    get: {
      operationId: 'getEditionFile',
      summary: 'A file of an edition',
      requestParams: { path: z.object({ number: z.string(), path: z.string() }) },
      responses: text('Its text.'),
    },
  },
  '/v1/captured': {
    get: {
      operationId: 'listCaptured',
      summary: 'Captured mail, newest first',
      requestParams: { query: CapturedQuery },
      responses: { '200': { description: 'A page.', content: json(CapturedList) }, default: refused },
    },
    delete: {
      operationId: 'clearCaptured',
      summary: 'Take captured mail away: all, or what fits',
      requestParams: { query: CapturedFilterQuery },
      responses: { '200': { description: 'How many.', content: json(CapturedCleared) }, default: refused },
    },
  },
  '/v1/captured/addresses': {
    get: {
      operationId: 'listCapturedAddresses',
      summary: 'Recipients of captured mail, the latest first',
      responses: { '200': { description: 'Up to 500.', content: json(CapturedAddresses) }, default: refused },
    },
  },
  '/v1/captured/wait': {
    get: {
      operationId: 'waitForCaptured',
      summary: 'The newest captured mail that fits, as soon as there is one',
      description: 'Answered at once where one is there already; 404 when none came in time.',
      requestParams: { query: CapturedWait },
      responses: { '200': { description: 'The mail.', content: json(CapturedMail) }, default: refused },
    },
  },
  '/v1/captured/stream': {
    get: {
      operationId: 'followCaptured',
      summary: 'Captured mail as it arrives (SSE, Last-Event-ID)',
      responses: stream('Events "captured".'),
    },
  },
  '/v1/captured/{id}': {
    get: {
      operationId: 'getCaptured',
      summary: 'One captured mail, read',
      requestParams: { path: z.object({ id }) },
      responses: { '200': { description: 'The mail.', content: json(CapturedMail) }, default: refused },
    },
    delete: {
      operationId: 'removeCaptured',
      summary: 'Take one captured mail away',
      requestParams: { path: z.object({ id }) },
      responses: { '200': { description: 'Done.', content: json(CapturedCleared) }, default: refused },
    },
  },
  '/v1/captured/{id}/html': {
    get: {
      operationId: 'getCapturedHtml',
      summary: 'Its HTML as a page for a sandboxed frame',
      requestParams: {
        path: z.object({ id }),
        query: z.object({ remote: z.enum(['yes', 'no']).optional(), space: z.string().optional() }),
      },
      responses: { '200': { description: 'HTML.', content: { 'text/html': { schema: z.string() } } }, default: refused },
    },
  },
  '/v1/captured/{id}/source': {
    get: {
      operationId: 'getCapturedSource',
      summary: 'Its bytes, as they came',
      requestParams: { path: z.object({ id }) },
      responses: { '200': { description: 'RFC 5322.', content: { 'message/rfc822': { schema: z.string() } } }, default: refused },
    },
  },
  '/v1/captured/{id}/attachments/{part}': {
    get: {
      operationId: 'getCapturedAttachment',
      summary: 'What is attached to it',
      requestParams: { path: z.object({ id, part: z.string() }) },
      responses: {
        '200': { description: 'Its bytes.', content: { 'application/octet-stream': { schema: z.string() } } },
        default: refused,
      },
    },
  },
  '/v1/captured/{id}/simulate': {
    post: {
      operationId: 'simulate',
      summary: 'Let something become of a captured mail',
      description: 'Reports and complaints are taken in as if they had come by mail.',
      requestParams: { path: z.object({ id }) },
      requestBody: { content: json(Simulation), required: true },
      responses: { '202': { description: 'It has happened.', content: json(CapturedSummary) }, default: refused },
    },
  },
} as const;
