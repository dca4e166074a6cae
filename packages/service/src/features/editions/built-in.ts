import type { MailFiles } from '@verbalis/core/folder';

/** Number of the edition that the service itself brings: emails that need no mail folder. */
export const BUILT_IN = 0;
export const OPERATOR_NOTE = 'operator-note';
/** Asks an address whether it wants a topic. */
export const CONFIRM_TOPIC = 'confirm-topic';
/** Asks the owner of an address whether a space may send as it. */
export const CONFIRM_SENDER = 'confirm-sender';
/** Opens the console for a person who was invited. */
export const INVITATION = 'invitation';
/** Opens the console. */
export const SIGN_IN = 'sign-in';

/** The email that asks about a topic, by what its file's name has before ".md". */
const TOPIC_EMAILS = {
  '': {
    subject: '{{ app }}: do you want “{{ topic }}”?',
    preview: 'One click, and you are subscribed.',
    title: 'Do you want “{{ topic }}”?',
    text: '{{ app }} was asked to send emails about “{{ topic }}” to {{ address }}. If that was you, please confirm.',
    button: 'See and confirm',
    until: 'The link works until {{ until | date }}.',
    otherwise: 'If it was not you, do nothing: you will not get any more emails about it.',
  },
  '.de': {
    subject: '{{ app }}: Möchten Sie „{{ topic }}“ erhalten?',
    preview: 'Ein Klick, und Sie sind dabei.',
    title: 'Möchten Sie „{{ topic }}“ erhalten?',
    text: 'Jemand hat {{ app }} gebeten, E-Mails zu „{{ topic }}“ an {{ address }} zu senden. Wenn Sie das waren, bestätigen Sie es bitte.',
    button: 'Ansehen und bestätigen',
    until: 'Der Link gilt bis {{ until | date }}.',
    otherwise: 'Wenn Sie es nicht waren, müssen Sie nichts tun: Sie erhalten dann keine weiteren E-Mails dazu.',
  },
  '.fr': {
    subject: '{{ app }} : souhaitez-vous recevoir « {{ topic }} » ?',
    preview: 'Un clic, et vous êtes abonné.',
    title: 'Souhaitez-vous recevoir « {{ topic }} » ?',
    text: 'Quelqu’un a demandé à {{ app }} d’envoyer des e-mails sur « {{ topic }} » à {{ address }}. Si c’était vous, confirmez-le.',
    button: 'Voir et confirmer',
    until: 'Le lien est valable jusqu’au {{ until | date }}.',
    otherwise: 'Si ce n’était pas vous, ne faites rien : vous ne recevrez pas d’autres e-mails à ce sujet.',
  },
  '.es': {
    subject: '{{ app }}: ¿quiere recibir «{{ topic }}»?',
    preview: 'Un clic y queda suscrito.',
    title: '¿Quiere recibir «{{ topic }}»?',
    text: 'Alguien ha pedido a {{ app }} que envíe correos sobre «{{ topic }}» a {{ address }}. Si fue usted, confírmelo.',
    button: 'Ver y confirmar',
    until: 'El enlace es válido hasta el {{ until | date }}.',
    otherwise: 'Si no fue usted, no haga nada: no recibirá más correos sobre ello.',
  },
  '.ar': {
    subject: '{{ app }}: هل تريد «{{ topic }}»؟',
    preview: 'نقرة واحدة وتصبح مشتركًا.',
    title: 'هل تريد «{{ topic }}»؟',
    text: 'طلب أحدهم من {{ app }} إرسال رسائل عن «{{ topic }}» إلى {{ address }}. إذا كنت أنت من طلب ذلك فأكّد من فضلك.',
    button: 'عرض وتأكيد',
    until: 'الرابط صالح حتى {{ until | date }}.',
    otherwise: 'إذا لم تكن أنت، فلا تفعل شيئًا: لن تصلك رسائل أخرى عن ذلك.',
  },
};

const topicEmail = ({ subject, preview, title, text, button, until, otherwise }: (typeof TOPIC_EMAILS)['']): string =>
  [
    '---',
    `subject: "${subject}"`,
    `preview: "${preview}"`,
    '---',
    ':::card',
    `# ${title}`,
    '',
    text,
    '',
    `::action "${button}" to="{{ link }}"`,
    '',
    until,
    ':::',
    '',
    ':::fineprint',
    otherwise,
    ':::',
    '',
  ].join('\n');

const BUILT_IN_FILES: Readonly<Record<string, string>> = {
  'mail.yaml': 'name: Built in\nlocale: en\n',
  'templates/confirm-topic/data.schema.json': JSON.stringify({
    type: 'object',
    additionalProperties: false,
    required: ['app', 'topic', 'address', 'link', 'until'],
    properties: {
      app: { type: 'string' },
      topic: { type: 'string' },
      address: { type: 'string' },
      link: { type: 'string', format: 'uri', 'x-sensitive': true },
      until: { type: 'string', format: 'date' },
    },
  }),
  ...Object.fromEntries(
    Object.entries(TOPIC_EMAILS).map(([locale, words]) => [`templates/confirm-topic/message${locale}.md`, topicEmail(words)]),
  ),
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
      link: { type: 'string', format: 'uri', 'x-sensitive': true },
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
  'templates/invitation/data.schema.json': JSON.stringify({
    type: 'object',
    additionalProperties: false,
    required: ['service', 'by', 'email', 'link', 'until'],
    properties: {
      service: { type: 'string' },
      by: { type: 'string' },
      email: { type: 'string' },
      link: { type: 'string', format: 'uri', 'x-sensitive': true },
      until: { type: 'string', format: 'date' },
    },
  }),
  'templates/invitation/message.md': [
    '---',
    'subject: "You are invited to Verbalis on {{ service }}"',
    'preview: "Sign in with one click."',
    '---',
    ':::card',
    '# You are invited to Verbalis',
    '',
    '{{ by }} has given you access to {{ service }}: what it sends, and what came of it.',
    '',
    '::action "Sign in" to="{{ link }}"',
    '',
    'The link works once, until {{ until | date }}. Later you get a new one at {{ service }} with your address, {{ email }}.',
    ':::',
    '',
    ':::fineprint',
    'Do not pass this email on: anybody who opens the link is signed in as you. If you expected no invitation, do nothing.',
    ':::',
    '',
  ].join('\n'),
  'templates/sign-in/data.schema.json': JSON.stringify({
    type: 'object',
    additionalProperties: false,
    required: ['service', 'email', 'link', 'minutes'],
    properties: {
      service: { type: 'string' },
      email: { type: 'string' },
      link: { type: 'string', format: 'uri', 'x-sensitive': true },
      minutes: { type: 'integer' },
    },
  }),
  'templates/sign-in/message.md': [
    '---',
    'subject: "Sign in to Verbalis on {{ service }}"',
    'preview: "The link works once, for {{ minutes }} minutes."',
    '---',
    ':::card',
    '# Sign in to Verbalis',
    '',
    '::action "Sign in" to="{{ link }}"',
    '',
    'The link works once, within {{ minutes }} minutes.',
    ':::',
    '',
    ':::fineprint',
    'This link was requested for {{ email }} at {{ service }}. If it was not you, do nothing: no one can sign in without it.',
    ':::',
    '',
  ].join('\n'),
  'templates/operator-note/message.md':
    '---\nsubject: "{{ subject }}"\npreview: "A note to the operator of {{ space }}."\n---\n:::card\n# {{ subject }}\n\n:::each line in lines\n{{ line }}\n:::\n:::\n\n:::fineprint\nA note to the operator of the space {{ space }}.\n:::\n',
};

/** The mail folder of that edition. */
export const BUILT_IN_FOLDER: MailFiles = new Map(Object.entries(BUILT_IN_FILES).map(([path, text]) => [path, Buffer.from(text)]));
