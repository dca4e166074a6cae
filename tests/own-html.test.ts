import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, test } from '@jest/globals';
import { linkFolder } from '@verbalis/core/folder';
import { compileFolder } from '@verbalis/core/program';
import { prepare } from '@verbalis/core/render';
import { ROOT } from './support/service.js';

// HTML as agencies deliver it: what needs no change arrives to the byte.
const FIXTURES = join(ROOT, 'tests/fixtures/own-html');
const DATA = { passenger: 'Ása & Jón', reference: 'SM-1042', vehicle: 'B7', scores: [1, 2, 3], amount: 4800 };
const SCHEMA = {
  type: 'object',
  required: Object.keys(DATA),
  properties: {
    passenger: { type: 'string' },
    reference: { type: 'string' },
    vehicle: { type: 'string' },
    scores: { type: 'array', items: { type: 'integer' } },
    amount: { type: 'integer' },
  },
};

function made(name: string) {
  const source = readFileSync(join(FIXTURES, `${name}.html`), 'utf8');
  const files = new Map<string, string | Buffer>([
    ['mail.yaml', 'name: T\nbaseUrl: https://saltmarsh-ferries.example/\nassetUrl: https://assets.saltmarsh-ferries.example\n'],
    ['styles/house.css', '@import "colours.css";\nh1 { margin: 0 }\nh1:hover { margin: 1px }\n'],
    ['styles/colours.css', 'h1 { color: #163a63 }\n'],
    ['assets/waves.png', 'x'],
    ['templates/t/data.schema.json', JSON.stringify(SCHEMA)],
    ['templates/t/message.html', source],
  ]);
  const { templates, problems } = compileFolder(linkFolder(new Map([...files].map(([path, text]) => [path, Buffer.from(text)]))));
  const program = templates.get('t')?.programs.get('en');
  if (program === undefined) throw new Error(JSON.stringify(problems, null, 1));
  const body = source.slice(source.indexOf('\n---\n', 3) + 5);
  return {
    source: body,
    problems: problems.filter(({ code }) => code !== 'unused-field'),
    ...prepare(program)({ data: DATA, now: Date.parse('2026-12-03T09:00:00Z') }),
  };
}

/** Lines that are not the same, as [before, after]. */
function changedLines(before: string, after: string): [string, string][] {
  const [a, b] = [before.split('\n'), after.split('\n')];
  expect(b).toHaveLength(a.length);
  return a.flatMap((line, i): [string, string][] => (line === b[i] ? [] : [[line, b[i] ?? '']]));
}

describe('own HTML', () => {
  test('a page of which nothing has to change is the same to the byte', () => {
    const { source, html, problems, text } = made('timetable');
    expect(html).toBe(source);
    expect(problems).toEqual([]);
    expect(text).toContain('Oldquay → Kelp Island\n06:10, 08:15 & 17:40');
    expect(text).not.toMatch(/mso|v:rect|Preview line|Five more sailings a day from/);
  });

  test('a long page of nested tables, client hooks and three ways of quoting is the same to the byte', () => {
    const { source, html, problems, text } = made('winter');
    expect(html).toBe(source);
    expect(problems).toEqual([]);
    expect(text).toContain('Tern Island – Gannet Rock');
    expect(text).not.toMatch(/mso|roundrect|ReadMsgBody|Three crossings more/);
  });

  test('of a long page of columns that stack by themselves only its values change', () => {
    const { source, html, problems, text } = made('boarding');
    expect(problems).toEqual([]);
    const filled = source
      .replaceAll('{{ reference }}', 'SM-1042')
      .replace('{{ passenger }}', 'Ása &amp; Jón')
      .replace('{{ vehicle }}', 'B7')
      .replace(/\{\{ if vehicle \}\}|\{\{ end \}\}/g, '');
    expect(html).toBe(filled);
    expect(text).toContain('Your vehicle: B7.');
  });

  test('of a page with values, relative addresses and style sheets only these places change', () => {
    const { source, html, problems } = made('survey');
    expect(problems).toEqual([]);
    expect(html).toContain(
      '<html lang="en" dir="ltr">\n<head>\n<meta charset="utf-8">\n<meta name="viewport" content="width=device-width">',
    );
    expect(html).toContain(
      '<title>How was it?</title>\n<style>h1:hover { margin: 1px }\n</style>\n<style>\n  .button:hover{background-color:#1d4e89!important}\n  @media (max-width: 480px){ .button{padding:0 4px!important} }\n  .gmail-fix, u + .body .note { display: none }\n</style>'.replace(
        '<style>h1:hover { margin: 1px }',
        '<style>h1:hover{margin:1px!important}',
      ),
    );
    const from = (page: string): string => page.slice(page.indexOf('</head>'));
    const own = from(source)
      .replace(/\{\{ if vehicle \}\}|\{\{ end \}\}/g, '')
      .replace(/:::each score in scores\n(.*\n):::\n/, '$1$1$1');
    const withoutPreview = from(html).replace(/\n<div style="display:none;.*<\/div>\n/, '');
    const asset = /https:\/\/assets\.saltmarsh-ferries\.example\/[0-9a-f]{20}\/waves\.png/g;
    expect(changedLines(own, withoutPreview.replace(asset, 'ASSET'))).toEqual([
      ['<body class="body" style="margin:0">', '<body class="body" style="font-family:Arial, sans-serif;margin:0">'],
      ['<div style="background-image:url(assets/waves.png)">', '<div style="background-image:url(\'ASSET\')">'],
      [
        '<!--[if mso]><v:image src="assets/waves.png" style="width:600px;height:90px"></v:image><![endif]-->',
        '<!--[if mso]><v:image src="ASSET" style="width:600px;height:90px"></v:image><![endif]-->',
      ],
      ['<h1 id=top>Hello {{ passenger }},</h1>', '<h1 id=top style="color:#163a63;margin:0">Hello Ása &amp; Jón,</h1>'],
      ['<p>We hope that lane {{ vehicle }} was easy to find.</p>', '<p>We hope that lane B7 was easy to find.</p>'],
      [
        '<table role="presentation" cellspacing="0"><tr>',
        '<table role="presentation" cellspacing="0" style="font-family:Arial, sans-serif"><tr>',
      ],
      ...[1, 2, 3].map((score): [string, string] => [
        '<td><a class="button" href="/survey/{{ reference }}?score={{ score }}">{{ score }}</a></td>',
        `<td style="font-family:Arial, sans-serif"><a class="button" href="https://saltmarsh-ferries.example/survey/SM-1042?score=${score}" style="background-color:#163a63;padding:0 12px;color:#fff">${score}</a></td>`,
      ]),
      [
        '<p class="note">Fish&chips are on us: show &quot;{{ reference }}&quot; at the kiosk.</p>',
        '<p class="note" style="background:#eef2f4;background:linear-gradient(#eef2f4, #ffffff)">Fish&chips are on us: show &quot;SM-1042&quot; at the kiosk.</p>',
      ],
      ['<img src="assets/waves.png" width="300" height="45" alt="Waves">', '<img src="ASSET" width="300" height="45" alt="Waves">'],
    ]);
    expect(from(html)).toMatch(/<body [^>]*>\n<div style="display:none;[^"]*">One question about SM-1042\./);
  });

  test('a fragment becomes a document, and stays as it is within', () => {
    const { source, html } = made('closing');
    const [head, body] = html.split('<body>') as [string, string];
    expect(head).toMatch(
      /^<!DOCTYPE html>\n<html lang="en" dir="ltr"><head><meta charset="utf-8"><meta name="viewport" .*<title>Your refund for SM-1042<\/title><\/head>\n$/,
    );
    expect(changedLines(source, body.replace('</body></html>\n', ''))).toEqual([
      ['<p>Dear {{ passenger }},</p>', '<p>Dear Ása &amp; Jón,</p>'],
      [
        '<p>we paid back <b>{{ amount | money "EUR" }}</b> for <a href="/bookings/{{ reference }}">{{ reference }}</a>.</p>',
        '<p>we paid back <b>€48.00</b> for <a href="https://saltmarsh-ferries.example/bookings/SM-1042">SM-1042</a>.</p>',
      ],
    ]);
  });
});
