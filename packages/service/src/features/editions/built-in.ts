import type { MailFiles } from '@verbalis/core/folder';

/** Number of the edition that the service itself brings: emails that need no mail folder. */
export const BUILT_IN = 0;
export const OPERATOR_NOTE = 'operator-note';
/** Asks the owner of an address whether a space may send as it. */
export const CONFIRM_SENDER = 'confirm-sender';

const BUILT_IN_FILES: Readonly<Record<string, string>> = {
  'mail.yaml': 'name: Built in\nlocale: en\n',
  'templates/operator-note/data.schema.json': JSON.stringify({
    type: 'object',
    additionalProperties: false,
    required: ['subject', 'lines', 'space'],
    properties: {
      subject: { type: 'string' },
      space: { type: 'string' },
      lines: { type: 'array', items: { type: 'string' } },
    },
  }),
  'templates/confirm-sender/data.schema.json': JSON.stringify({
    type: 'object',
    additionalProperties: false,
    required: ['app', 'address', 'link', 'until'],
    properties: {
      app: { type: 'string' },
      address: { type: 'string' },
      link: { type: 'string', format: 'uri' },
      until: { type: 'string', format: 'date' },
    },
  }),
  'templates/confirm-sender/message.md': [
    '---',
    'subject: "{{ app }}: may we send email as {{ address }}?"',
    'preview: "Your consent is needed before anything is sent in your name."',
    '---',
    ':::card',
    '# May we send email as {{ address }}?',
    '',
    '{{ app }} would like to send its emails with your address as their sender. Recipients will see it, and their replies will reach you.',
    '',
    '::action "See and confirm" to="{{ link }}"',
    '',
    'The link opens a page where you confirm. It works until {{ until | date }}.',
    ':::',
    '',
    ':::fineprint',
    'If you do not agree, do nothing: without your confirmation nothing is sent as {{ address }}.',
    ':::',
    '',
  ].join('\n'),
  'templates/operator-note/message.md':
    '---\nsubject: "{{ subject }}"\npreview: "A note to the operator of {{ space }}."\n---\n:::card\n# {{ subject }}\n\n:::each line in lines\n{{ line }}\n:::\n:::\n\n:::fineprint\nA note to the operator of the space {{ space }}.\n:::\n',
};

/** The mail folder of that edition. */
export const BUILT_IN_FOLDER: MailFiles = new Map(Object.entries(BUILT_IN_FILES).map(([path, text]) => [path, Buffer.from(text)]));
