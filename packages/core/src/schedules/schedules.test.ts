import { describe, expect, test } from '@jest/globals';
import { linkFolder } from '../folder/index.js';
import { compileFolder } from '../program/index.js';
import { compileSchedules, sendingProblems } from './index.js';

const WEEKLY = `starts: 2026-01-02T05:00
timeZone: Europe/Paris
repeat: FREQ=WEEKLY;BYDAY=FR
template: bulletin
recipientSource: { url: "https://app.saltmarsh-ferries.example/recipients" }
`;
const BULLETIN = '---\nsubject: News\ntopic: news\n---\n\nHello {{ name }}, {{ week }}.\n\n[Unsubscribe]({{ mail.unsubscribe }})\n';
const SCHEMA = {
  type: 'object',
  required: ['name', 'week'],
  additionalProperties: false,
  properties: { name: { type: 'string' }, week: { type: 'integer' } },
};

function compiled(schedule: string, more: Readonly<Record<string, string>> = {}) {
  const files: Record<string, string> = {
    'mail.yaml': `name: Ferries\nbaseUrl: https://saltmarsh-ferries.example\nsender: Ferries <a@saltmarsh-ferries.example>\ntimeZone: America/New_York\ntopics:\n  news: { label: News, purpose: optional }\n  account: { label: Account, purpose: essential }\n`,
    'templates/bulletin/message.md': BULLETIN,
    'templates/bulletin/data.schema.json': JSON.stringify(SCHEMA),
    'templates/notice/message.md': '---\nsubject: Notice\ntopic: account\n---\n\nHello.\n',
    'templates/notice/data.schema.json': '{"type": "object"}',
    'schedules/weekly.yaml': schedule,
    ...more,
  };
  const project = linkFolder(new Map(Object.entries(files).map(([path, text]) => [path, Buffer.from(text)])));
  const { templates, problems } = compileFolder(project);
  expect(problems.filter(({ severity }) => severity === 'error')).toEqual([]);
  return { project, templates, ...compileSchedules(project, (name) => templates.get(name)) };
}

const replaced = (from: string | RegExp, to: string): string => {
  const text = WEEKLY.replace(from, to);
  expect(text).not.toBe(WEEKLY);
  return text;
};
const sourced = (source: string): string => replaced(/recipientSource: .*/, `recipientSource: ${source}`);

describe('schedules of a mail folder', () => {
  test('send no template with sensitive data: their own are kept as they are', () => {
    const schema = { ...SCHEMA, properties: { ...SCHEMA.properties, name: { type: 'string', 'x-sensitive': true } } };
    const { problems } = compiled(WEEKLY, { 'templates/bulletin/data.schema.json': JSON.stringify(schema) });
    expect(problems).toMatchObject([{ code: 'sensitive-schedule', severity: 'error', place: { file: 'schedules/weekly.yaml', line: 4 } }]);
  });

  test('are read with what they send, to whom and when', () => {
    const { schedules, problems } = compiled(`${WEEKLY}data: { week: 7 }\nlocale: fr\nperMinute: 600\nmissed: skip\n`);
    expect(problems).toEqual([]);
    const { times, ...schedule } = schedules.get('weekly') ?? {};
    expect(schedule).toEqual({
      name: 'weekly',
      file: 'schedules/weekly.yaml',
      starts: '2026-01-02T05:00',
      timeZone: 'Europe/Paris',
      repeat: 'FREQ=WEEKLY;BYDAY=FR',
      missed: 'skip',
      template: 'bulletin',
      source: { kind: 'url', url: 'https://app.saltmarsh-ferries.example/recipients' },
      essential: false,
      perMinute: 600,
      common: { data: { week: 7 }, locale: 'fr' },
    });
    expect(times?.after(Date.parse('2026-11-27T04:00:00Z'))).toBe(Date.parse('2026-12-04T04:00:00Z'));
  });

  test('are in the zone of the mail folder where they name none', () => {
    expect(compiled(replaced('timeZone: Europe/Paris\n', '')).schedules.get('weekly')?.timeZone).toBe('America/New_York');
  });

  test('take recipients from a list and from files of the folder', () => {
    const list = compiled(
      sourced('{ list: [{ to: a@host.example, data: { name: A, week: 1 } }, { to: B <b@host.example>, data: { name: B, week: 1 } }] }'),
    );
    expect([list.problems, list.schedules.get('weekly')?.source]).toMatchObject([
      [],
      { kind: 'list', list: [{}, { to: 'B <b@host.example>' }] },
    ]);
    const plain = compiled(`${sourced('{ list: [a@host.example] }')}data: { name: all, week: 1 }\n`);
    expect([plain.problems, plain.schedules.get('weekly')?.source]).toEqual([[], { kind: 'list', list: [{ to: 'a@host.example' }] }]);
    const lines = compiled(sourced('{ file: recipients/crew.ndjson }'), {
      'schedules/recipients/crew.ndjson': '{"to": "a@host.example", "data": {"name": "A", "week": 1}}\n\n',
    });
    expect([lines.problems, lines.schedules.get('weekly')?.source]).toEqual([
      [],
      { kind: 'file', path: 'schedules/recipients/crew.ndjson', format: 'ndjson' },
    ]);
    expect(lines.project.problems.filter(({ code }) => code === 'stray-file')).toEqual([]);
    expect(
      compiled(sourced('{ file: recipients/crew.csv }'), { 'schedules/recipients/crew.csv': 'to\na@host.example\n' }).problems,
    ).toEqual([]);
  });

  test.each([
    ['a time that is none', replaced('05:00', '25:00'), 'schedule-times', 1, '"2026-01-02T25:00" is not a valid time.'],
    [
      'a recurrence that never occurs',
      replaced('FREQ=WEEKLY;BYDAY=FR', 'FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30'),
      'schedule-never',
      3,
      /never occurs/,
    ],
    ['a recurrence that is none', replaced('BYDAY=FR', 'BYDAY=FRI'), 'schedule-times', 3, /value of BYDAY/],
    ['a zone that is none', replaced('Europe/Paris', 'Europe/Pariss'), 'schedule', 2, /"timeZone" must be an IANA time zone/],
    ['an unknown field', replaced('repeat:', 'repeats:'), 'schedule-unknown', 3, 'A schedule has no "repeats".'],
    [
      'a template that is not there',
      replaced('template: bulletin', 'template: buletin'),
      'unknown-template',
      4,
      'There is no template "buletin".',
    ],
    ['no recipients', replaced(/recipientSource.*\n/, ''), 'schedule', 1, '"recipientSource" is missing.'],
    ['two sources', sourced('{ url: "https://a.example/", list: [a@host.example] }'), 'schedule', 5, /must be one of/],
    ['an address of the wrong kind', sourced('{ url: "ftp://a.example/" }'), 'schedule', 5, /must be an http or https address/],
    ['an essential template', replaced('bulletin', 'notice'), 'schedule-essential', 4, /Recipients cannot unsubscribe from "notice"/],
    ['essential, but optional', `${WEEKLY}essential: true\n`, 'schedule-essential', 6, /topic "news" of "bulletin" is optional/],
    ['data of the wrong type', `${WEEKLY}data: { week: seven }\n`, 'schedule-data', 6, '"data.week" must be an integer, is a string.'],
    ['data that is not wanted', `${WEEKLY}data: { weeks: 7 }\n`, 'schedule-data', 6, /"data.weeks" is not a field/],
    ['a recipient that is none', sourced('{ list: [{ name: A }] }'), 'schedule-recipients', 5, 'This recipient has no "to".'],
    ['an address that cannot be', sourced('{ list: [nobody] }'), 'schedule-recipients', 5, /"to"/],
    ['a recipient without data', sourced('{ list: [a@host.example] }'), 'schedule-data', 5, '"data.name" of a@host.example is missing.'],
    [
      'a file that is not there',
      sourced('{ file: recipients/crew.csv }'),
      'schedule-recipients',
      5,
      'There is no file "recipients/crew.csv".',
    ],
    ['a file elsewhere', sourced('{ file: ../templates/bulletin/data.csv }'), 'schedule-recipients', 5, /There is no file/],
    ['a file of another kind', sourced('{ file: recipients/crew.xlsx }'), 'schedule-recipients', 5, /neither a .csv nor a .ndjson/],
  ] as const)('%s is a problem with its place', (_, schedule, code, line, message) => {
    const { problems, schedules } = compiled(schedule);
    expect(problems.map(({ code }) => code)).toContain(code);
    expect(problems.find((found) => found.code === code)).toMatchObject({
      severity: 'error',
      place: { file: 'schedules/weekly.yaml', line },
      message: typeof message === 'string' ? message : expect.stringMatching(message),
    });
    expect(schedules.has('weekly')).toBe(false);
  });

  test('an optional template without a way to unsubscribe is a problem, in any language', () => {
    const bare = { 'templates/bulletin/message.md': BULLETIN.replace(/\[Unsub.*\n/, '') };
    expect(compiled(WEEKLY, bare).problems).toMatchObject([
      { code: 'schedule-unsubscribe', place: { line: 4 }, hint: expect.stringMatching(/mail\.unsubscribe/) },
    ]);
    const french = { 'templates/bulletin/message.fr.md': BULLETIN.replace(/\[Unsub.*\n/, '') };
    expect(compiled(WEEKLY, french).problems).toMatchObject([{ message: expect.stringMatching(/no way to unsubscribe in fr,/) }]);
    // A page of the app is a way, too.
    const own = { 'templates/bulletin/message.md': BULLETIN.replace('{{ mail.unsubscribe }}', 'https://app.example/unsubscribe') };
    expect(compiled(WEEKLY, own).problems).toEqual([]);
  });

  test('each line of a file of recipients is held against the template', () => {
    const rows = '{"to": "a@host.example", "data": {"name": "A", "week": 1}}\n{"to": "b@host.example", "data": {"name": "B"}}\nnonsense\n';
    const { problems } = compiled(sourced('{ file: recipients/crew.ndjson }'), { 'schedules/recipients/crew.ndjson': rows });
    expect(problems).toMatchObject([
      {
        code: 'schedule-data',
        place: { file: 'schedules/recipients/crew.ndjson', line: 2 },
        message: '"data.week" of b@host.example is missing.',
      },
      { code: 'json', place: { file: 'schedules/recipients/crew.ndjson', line: 3 } },
    ]);
  });

  test('a hundred of them are enough, and rules are checked beside them', () => {
    const more = Object.fromEntries(Array.from({ length: 100 }, (_, i) => [`schedules/s${i}.yaml`, WEEKLY]));
    const { project, templates } = compiled(WEEKLY, { ...more, 'signals/broken.yaml': 'on: a\n' });
    const codes = sendingProblems(project, { templates }).map(({ code }) => code);
    expect(codes).toContain('too-many-schedules');
    expect(codes).toContain('rule');
  });
});
