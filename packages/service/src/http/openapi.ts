import { createDocument } from 'zod-openapi';
import {
  KeyMade,
  ListQuery,
  MailView,
  MessageList,
  MessageSummary,
  MessageView,
  NewKey,
  NewMessage,
  Problem,
  SignIn,
  SpaceList,
} from './schemas.js';
import { z } from 'zod';

const json = <S extends z.ZodType>(schema: S) => ({ 'application/json': { schema } });
const refused = { description: 'Refused: why, and what to do.', content: { 'application/problem+json': { schema: Problem } } };
const id = z.string().meta({ description: 'The message’s id.' });

/** The API as OpenAPI 3.1, made from the schemas that validate. */
export function openApiDocument(): Record<string, unknown> {
  return createDocument({
    openapi: '3.1.0',
    info: {
      title: 'Verbalis',
      version: '1',
      description: 'Transactional mail: write, try, send, track.',
      license: { name: 'MIT', identifier: 'MIT' },
    },
    security: [{ key: [] }],
    paths: {
      '/v1/messages': {
        post: {
          operationId: 'sendMessage',
          summary: 'Accept a message',
          description: '202 means that it is on the disk and ends in one state for each recipient.',
          requestParams: { header: z.object({ 'Idempotency-Key': z.string().min(1).max(200).optional() }) },
          requestBody: { content: json(NewMessage), required: true },
          responses: { '202': { description: 'Accepted.', content: json(MessageSummary) }, default: refused },
        },
        get: {
          operationId: 'listMessages',
          summary: 'Messages, newest first',
          requestParams: { query: ListQuery },
          responses: { '200': { description: 'A page.', content: json(MessageList) }, default: refused },
        },
      },
      '/v1/messages/{id}': {
        get: {
          operationId: 'getMessage',
          summary: 'One message with everything known of its deliveries',
          requestParams: { path: z.object({ id }) },
          responses: { '200': { description: 'The message.', content: json(MessageView) }, default: refused },
        },
      },
      '/v1/messages/{id}/mail': {
        get: {
          operationId: 'getMail',
          summary: 'The mail as sent, read back from its bytes',
          requestParams: { path: z.object({ id }) },
          responses: { '200': { description: 'The mail.', content: json(MailView) }, default: refused },
        },
      },
      '/v1/messages/{id}/html': {
        get: {
          operationId: 'getHtml',
          summary: 'The HTML part as a page for a sandboxed frame',
          requestParams: {
            path: z.object({ id }),
            query: z.object({
              remote: z.enum(['yes', 'no']).optional().meta({ description: 'Whether pictures from other hosts are loaded.' }),
              space: z.string().optional(),
            }),
          },
          responses: {
            '200': { description: 'HTML under a policy that lets nothing run.', content: { 'text/html': { schema: z.string() } } },
            default: refused,
          },
        },
      },
      '/v1/messages/{id}/source': {
        get: {
          operationId: 'getSource',
          summary: 'The mail’s bytes',
          requestParams: { path: z.object({ id }) },
          responses: { '200': { description: 'RFC 5322 bytes.', content: { 'message/rfc822': { schema: z.string() } } }, default: refused },
        },
      },
      '/v1/keys': {
        post: {
          operationId: 'addKey',
          summary: 'Make a key for the space',
          requestBody: { content: json(NewKey), required: true },
          responses: { '201': { description: 'The key; its text is shown here only.', content: json(KeyMade) }, default: refused },
        },
      },
      '/console/session': {
        post: {
          operationId: 'signIn',
          summary: 'Sign in to the console',
          security: [],
          requestBody: { content: json(SignIn), required: true },
          responses: { '200': { description: 'Signed in.', content: json(SpaceList) }, default: refused },
        },
        get: {
          operationId: 'getSession',
          summary: 'Whether one is signed in',
          security: [],
          responses: { '200': { description: 'Signed in.', content: json(SpaceList) }, default: refused },
        },
        delete: {
          operationId: 'signOut',
          summary: 'Sign out',
          security: [],
          responses: { '204': { description: 'Signed out.' }, default: refused },
        },
      },
    },
    components: { securitySchemes: { key: { type: 'http', scheme: 'bearer', description: 'A key of a space.' } } },
  }) as unknown as Record<string, unknown>;
}
