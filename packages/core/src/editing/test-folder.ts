import { openFolder, type EditedFolder } from './index.js';

/** Where the cursor is in a text of a test. */
const CURSOR = '¦';

/** A folder that is open in an editor, with the place of the cursor. */
export interface Opened {
  readonly folder: EditedFolder;
  readonly path: string;
  readonly offset: number;
}

const FERRY = {
  type: 'object',
  required: ['booking', 'passenger', 'state'],
  properties: {
    state: { enum: ['boarding', 'late', 'cancelled'] },
    passenger: {
      type: 'object',
      required: ['name'],
      properties: { name: { type: 'string', description: 'As on the ticket.' }, since: { type: 'string', format: 'date' } },
    },
    booking: {
      type: 'object',
      required: ['total', 'currency', 'fares'],
      properties: {
        total: { type: 'integer', title: 'What was paid' },
        currency: { type: 'string', format: 'currency' },
        fares: {
          type: 'array',
          items: { type: 'object', required: ['label', 'amount'], properties: { label: { type: 'string' }, amount: { type: 'integer' } } },
        },
        vehicle: { type: 'object', required: ['lane'], properties: { lane: { type: 'string' } } },
      },
    },
  },
};

const SAMPLE = {
  state: 'late',
  passenger: { name: 'Ada' },
  booking: { total: 4200, currency: 'GBP', fares: [{ label: 'Adult', amount: 4200 }] },
};

/** Files of a folder with a template "t", a layout, a block and texts in two languages. */
const FILES: Readonly<Record<string, string>> = {
  'mail.yaml':
    'name: Saltmarsh\nbaseUrl: https://saltmarsh-ferries.example\nlayout: quay\ntopics:\n  bookings: { label: Bookings, purpose: essential }\n  news: { label: News, purpose: essential }\n',
  'layouts/quay.md': '::body\n\nFor {{ passenger.name }}\n',
  'blocks/berth.md':
    '---\ninputs:\n  lane: { type: string }\n  trip: { type: object, required: [pier], properties: { pier: { type: string } } }\n---\nLane {{ lane }}, {{ trip.pier }}\n\n::content aside\n',
  'blocks/stamp.md': 'Paid\n',
  'strings/en.json': '{ "hello": "Hello {name}", "parts": { "end": "Bye" } }',
  'strings/de.json': '{ "hello": "Hallo {name}", "parts": { "end": "Ende" } }',
  'assets/logo.png': 'x',
  'templates/t/data.schema.json': JSON.stringify(FERRY, undefined, 2),
  'templates/t/samples/typical.json': JSON.stringify(SAMPLE, undefined, 2),
};

/** Opens a folder in which one file has the cursor (`¦`). */
export function opened(files: Readonly<Record<string, string>>): Opened {
  const usual: Readonly<Record<string, string>> =
    'templates/t/message.html' in files ? {} : { 'templates/t/message.md': '---\nsubject: "S"\n---\nText\n' };
  const all: Readonly<Record<string, string>> = { ...usual, ...FILES, ...files };
  const [path, text] = Object.entries(all).find(([, one]) => one.includes(CURSOR)) ?? ['', ''];
  const bytes = new Map(Object.entries(all).map(([name, one]) => [name, Buffer.from(one.replace(CURSOR, ''))]));
  return { folder: openFolder(bytes), path, offset: text.indexOf(CURSOR) };
}

/** The same with the cursor in the body of the template. */
export const inBody = (body: string): Opened => opened({ 'templates/t/message.md': `---\nsubject: "S"\n---\n${body}\n` });
