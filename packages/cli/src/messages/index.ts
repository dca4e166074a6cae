import { type Command } from 'commander';
import { connect } from '../connection.js';
import { type Making, only, type Remote } from '../command.js';
import { send } from './send.js';
import { cancelMessage, listMessages, rescheduleMessage, showData, showMessage, showSource } from './messages.js';
import { followEvents } from '../events/events.js';

/** What can still be done to a message. */
function defineChanges(messages: Command, { run, remote, example }: Making): void {
  example(
    remote(messages.command('cancel <message>').description('cancel deliveries that have not been sent')),
    'verbalis messages cancel m01k…',
  ).action((id: string, options: Remote) => run((output) => cancelMessage(connect(options), id, options, output)));

  example(
    remote(
      messages
        .command('reschedule <message>')
        .description('change the time of deliveries that have not been sent')
        .requiredOption('--not-before <time>', 'when it is sent: 2026-12-04T08:00:00Z')
        .option('--time-zone <zone>', 'of a time without an offset: Europe/Paris'),
    ),
    'verbalis messages reschedule m01k… --not-before 2026-12-04T08:00:00Z',
  ).action((id: string, options: Remote & { notBefore: string; timeZone?: string }) =>
    run((output) => rescheduleMessage(connect(options), id, options, output)),
  );

  example(
    remote(
      messages.command('source <message>').description('print the bytes of the email (RFC 5322)').option('--save <file>', 'to a file'),
    ),
    'verbalis messages source m01k… --save mail.eml',
  ).action((id: string, options: Remote & { save?: string }) => run((output) => showSource(connect(options), id, options, output)));
}

function defineSending(root: Command, { run, remote, example }: Making): void {
  example(
    remote(
      root
        .command('send [template]')
        .description('send: send a message')
        .option('--to <address...>', 'one recipient or several')
        .option('--from <address>', 'another sender that the space may send as')
        .option('--data <file>', 'JSON data; - for standard input')
        .option('--file <file>', 'messages as JSON: one, or a list')
        .option('--locale <tag>', 'BCP 47 tag')
        .option('--reference <text>', 'your own name for what it is about')
        .option('--label <name=value...>', 'labels')
        .option('--cc <address...>', 'who gets a copy that all see')
        .option('--bcc <address...>', 'who gets a blind copy')
        .option('--reply-to <address...>', 'where answers go')
        .option('--subject <text>', 'without a template: the subject')
        .option('--text <file>', 'without a template: the text; - for standard input')
        .option('--html <file>', 'without a template: the HTML')
        .option('--topic <topic>', 'without a template: the topic')
        .option('--not-before <time>', 'when it is sent: 2026-12-04T08:00:00Z')
        .option('--idempotency-key <key>', 'requests with the same key make one message')
        .option('--attach <file...>', 'files to attach')
        .option('--wait', 'wait for the outcome and its reason; exits with status 1 when a delivery failed'),
    ),
    "verbalis send booking-confirmed --to 'Ása <asa@post.example>' --data booking.json --wait",
  ).action((template: string | undefined, options: Parameters<typeof send>[2] & Parameters<typeof connect>[0]) =>
    run((output) => send(connect(options), template, options, output)),
  );

  example(
    remote(root.command('cancel <message>').description('send: cancel deliveries that have not been sent')),
    'verbalis cancel m01k…',
  ).action((id: string, options: Remote) => run((output) => cancelMessage(connect(options), id, options, output)));
}

/** Commands of this feature. */
export function define(root: Command, making: Making): void {
  const { run, remote, paged, example } = making;
  defineSending(root, making);
  const messages = root.command('messages').description('track: work with messages and their timelines');

  example(
    paged(
      messages
        .command('list')
        .description('list messages, newest first')
        .option('--state <state>', 'queued, delayed, accepted, delivered, failed …')
        .option('--address <address>', 'of a recipient')
        .option('--template <name>')
        .option('--reference <text>'),
    ),
    'verbalis messages list --state failed',
  ).action((options: Remote & Parameters<typeof listMessages>[1]) =>
    run((output) => listMessages(connect(options), only(options), output)),
  );

  example(
    remote(messages.command('show <message>').description('show a message with its timeline')),
    'verbalis messages show m01k…',
  ).action((id: string, options: { json?: boolean } & Parameters<typeof connect>[0]) =>
    run((output) => showMessage(connect(options), id, output)),
  );

  defineChanges(messages, making);

  example(
    remote(
      messages
        .command('data <message>')
        .description('show the subject and data of a message, including sensitive data (scope read-sensitive)'),
    ),
    'verbalis messages data m01k…',
  ).action((id: string, options: Remote) => run((output) => showData(connect(options), id, output)));

  example(
    remote(messages.command('follow').description('show events as they happen').option('--filter <filter>', 'only these events')),
    "verbalis messages follow --filter 'type in [failed, complained]'",
  ).action((options: Remote & Parameters<typeof followEvents>[1]) =>
    run((output) => followEvents(connect(options), only(options), output)),
  );
}
