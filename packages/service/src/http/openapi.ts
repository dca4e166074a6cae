import { createDocument } from 'zod-openapi';
import {
  BatchView,
  ChangeView,
  EditionDetail,
  EditionDiff,
  EditionList,
  EditionView,
  NewBatch,
  NewEdition,
  Publication,
  QueueView,
  CallTaken,
  Lifting,
  NewSuppression,
  Rescheduling,
  ReturnList,
  ReturnMatch,
  ReturnQuery,
  ReturnsTaken,
  ReturnView,
  SuppressionImport,
  SuppressionList,
  SuppressionQuery,
  SuppressionView,
  UseEdition,
  DomainList,
  DomainView,
  KeyMade,
  NewDomain,
  OperatorNote,
  OperatorNoteMade,
  ProviderList,
  ProviderReport,
  ProviderTest,
  UploadQuery,
  UploadView,
  ListQuery,
  MailView,
  MessageList,
  MessageSummary,
  MessageView,
  NewKey,
  NewMessage,
  SignIn,
  SpaceList,
} from './schemas.js';
import { json, refused } from './openapi-parts.js';
import { trackingPaths } from './openapi-tracking.js';
import { tryingPaths } from './openapi-trying.js';
import { z } from 'zod';

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
      '/v1/messages/batch': {
        post: {
          operationId: 'sendBatch',
          summary: 'Accept up to 1,000 messages',
          description: 'The idempotency key stands for the batch: an entry that was accepted under it is not accepted again.',
          requestParams: { header: z.object({ 'Idempotency-Key': z.string().min(1).max(200).optional() }) },
          requestBody: { content: json(NewBatch), required: true },
          responses: {
            '202': { description: 'What became of each.', content: json(BatchView) },
            '200': { description: 'In the mode `each`: none could be taken.', content: json(BatchView) },
            default: refused,
          },
        },
      },
      '/v1/returns': {
        post: {
          operationId: 'addReturns',
          summary: 'Hand in mails that came back: one mail, or an mbox file',
          requestParams: {
            query: z.object({ envelopeTo: z.string().optional().meta({ description: 'The address that it was sent to.' }) }),
          },
          requestBody: {
            content: { 'message/rfc822': { schema: z.string() }, 'application/mbox': { schema: z.string() } },
            required: true,
          },
          responses: { '201': { description: 'What they are.', content: json(ReturnsTaken) }, default: refused },
        },
        get: {
          operationId: 'listReturns',
          summary: 'What came back, newest first',
          requestParams: { query: ReturnQuery },
          responses: { '200': { description: 'A page.', content: json(ReturnList) }, default: refused },
        },
      },
      '/v1/returns/{id}': {
        post: {
          operationId: 'callBack',
          summary: 'Events of an HTTP provider, as its profile describes them',
          description: 'Needs no key: the call is signed as the profile says. Answered when it is on the disk; read after.',
          requestParams: { path: z.object({ id: z.string().meta({ description: 'Here: the name of the provider.' }) }) },
          requestBody: { content: { 'application/json': { schema: z.unknown() } }, required: true },
          responses: { '200': { description: 'How many events were taken.', content: json(CallTaken) }, default: refused },
        },
        get: {
          operationId: 'getReturn',
          summary: 'One return with what was read out of it',
          requestParams: { path: z.object({ id }) },
          responses: { '200': { description: 'The return.', content: json(ReturnView) }, default: refused },
        },
      },
      '/v1/returns/{id}/source': {
        get: {
          operationId: 'getReturnSource',
          summary: 'Its bytes, as they came',
          requestParams: { path: z.object({ id }) },
          responses: {
            '200': { description: 'A mail, or the event of a callback.', content: { 'message/rfc822': { schema: z.string() } } },
            default: refused,
          },
        },
      },
      '/v1/returns/{id}/match': {
        post: {
          operationId: 'matchReturn',
          summary: 'Say which delivery a return is about',
          requestParams: { path: z.object({ id }) },
          requestBody: { content: json(ReturnMatch), required: true },
          responses: { '200': { description: 'The return.', content: json(ReturnView) }, default: refused },
        },
      },
      '/v1/suppressions': {
        get: {
          operationId: 'listSuppressions',
          summary: 'Addresses that get no more mail, newest first',
          requestParams: { query: SuppressionQuery },
          responses: { '200': { description: 'A page.', content: json(SuppressionList) }, default: refused },
        },
        post: {
          operationId: 'addSuppression',
          summary: 'Send no more mail to an address',
          requestBody: { content: json(NewSuppression), required: true },
          responses: { '201': { description: 'The suppression.', content: json(SuppressionView) }, default: refused },
        },
      },
      '/v1/suppressions/{id}/lift': {
        post: {
          operationId: 'liftSuppression',
          summary: 'Let an address get mail again',
          requestParams: { path: z.object({ id }) },
          requestBody: { content: json(Lifting), required: true },
          responses: { '200': { description: 'The suppression.', content: json(SuppressionView) }, default: refused },
        },
      },
      '/v1/suppressions/export': {
        get: {
          operationId: 'exportSuppressions',
          summary: 'All that are in force, as CSV (RFC 4180)',
          responses: { '200': { description: 'CSV.', content: { 'text/csv': { schema: z.string() } } }, default: refused },
        },
      },
      '/v1/suppressions/import': {
        post: {
          operationId: 'importSuppressions',
          summary: 'Take CSV with a column "address"',
          requestBody: { content: { 'text/csv': { schema: z.string() } }, required: true },
          responses: { '200': { description: 'What became of each line.', content: json(SuppressionImport) }, default: refused },
        },
      },
      '/v1/messages/{id}/cancel': {
        post: {
          operationId: 'cancelMessage',
          summary: 'Call a message back, as far as it has not gone',
          requestParams: { path: z.object({ id }) },
          responses: { '200': { description: 'What could be called back.', content: json(ChangeView) }, default: refused },
        },
      },
      '/v1/messages/{id}/reschedule': {
        post: {
          operationId: 'rescheduleMessage',
          summary: 'Set another time for what has not gone',
          requestParams: { path: z.object({ id }) },
          requestBody: { content: json(Rescheduling), required: true },
          responses: { '200': { description: 'What was changed.', content: json(ChangeView) }, default: refused },
        },
      },
      '/v1/queue': {
        get: {
          operationId: 'getQueue',
          summary: 'What waits',
          responses: { '200': { description: 'By topic and state.', content: json(QueueView) }, default: refused },
        },
      },
      '/v1/editions': {
        get: {
          operationId: 'listEditions',
          summary: 'Editions of the space, newest first',
          responses: { '200': { description: 'All of them.', content: json(EditionList) }, default: refused },
        },
        post: {
          operationId: 'publish',
          summary: 'Publish a mail folder',
          description: 'Contents that the service has need not be sent: the answer names what is missing.',
          requestBody: { content: json(NewEdition), required: true },
          responses: {
            '200': { description: 'Nothing differs, or contents are missing.', content: json(Publication) },
            '201': { description: 'A new edition is in use.', content: json(Publication) },
            default: refused,
          },
        },
      },
      '/v1/editions/use': {
        post: {
          operationId: 'useEdition',
          summary: 'Switch to another edition',
          requestBody: { content: json(UseEdition), required: true },
          responses: { '200': { description: 'It is in use.', content: json(EditionView) }, default: refused },
        },
      },
      '/v1/editions/{number}': {
        get: {
          operationId: 'getEdition',
          summary: 'One edition with its files',
          requestParams: { path: z.object({ number: z.string() }) },
          responses: { '200': { description: 'The edition.', content: json(EditionDetail) }, default: refused },
        },
      },
      '/v1/editions/{number}/diff/{other}': {
        get: {
          operationId: 'diffEditions',
          summary: 'What differs between two editions',
          requestParams: { path: z.object({ number: z.string(), other: z.string() }) },
          responses: { '200': { description: 'By file.', content: json(EditionDiff) }, default: refused },
        },
      },
      '/v1/uploads': {
        post: {
          operationId: 'addUpload',
          summary: 'Hand in a file to be attached later',
          description: 'The body is the file, of any type; it is written as it comes in.',
          requestParams: { query: UploadQuery },
          requestBody: { content: { 'application/octet-stream': { schema: z.string().meta({ format: 'binary' }) } }, required: true },
          responses: { '201': { description: 'Kept.', content: json(UploadView) }, default: refused },
        },
      },
      '/v1/providers': {
        get: {
          operationId: 'listProviders',
          summary: 'Providers that are configured',
          responses: { '200': { description: 'All of them.', content: json(ProviderList) }, default: refused },
        },
      },
      '/v1/providers/{name}/test': {
        post: {
          operationId: 'testProvider',
          summary: 'Look into a provider, step by step',
          requestParams: { path: z.object({ name: z.string() }) },
          requestBody: { content: json(ProviderTest), required: false },
          responses: { '200': { description: 'What was found.', content: json(ProviderReport) }, default: refused },
        },
      },
      '/v1/domains': {
        get: {
          operationId: 'listDomains',
          summary: 'Sending domains with their records',
          responses: { '200': { description: 'All of them.', content: json(DomainList) }, default: refused },
        },
        post: {
          operationId: 'addDomain',
          summary: 'Make the keys that sign mail of a domain',
          description: 'A domain that has keys keeps them.',
          requestBody: { content: json(NewDomain), required: true },
          responses: { '201': { description: 'The records to publish.', content: json(DomainView) }, default: refused },
        },
      },
      ...trackingPaths,
      ...tryingPaths,
      '/v1/operator-notes': {
        post: {
          operationId: 'tellOperator',
          summary: 'Tell the operator of the space',
          requestBody: { content: json(OperatorNote), required: true },
          responses: { '202': { description: 'A message is on its way.', content: json(OperatorNoteMade) }, default: refused },
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
