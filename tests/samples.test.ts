import { spawnSync } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { parse } from 'parse5';
import ts from 'typescript';
import { compareParts, contrast } from '@verbalis/core/check';
import { prepare } from '@verbalis/core/render';
import { displayWidth } from '@verbalis/core/text';
import { browserTest, launch } from './support/browser.js';
import { demoSamples } from './support/samples.js';
import { DEMO_FOLDER, ROOT, temporaryFolder } from './support/service.js';
import { Fault } from '@verbalis/core/problems';

// Every sample of every demo template, in every language that it has.
const NOW = Date.parse('2026-12-03T09:00:00Z');
const { project, compiled, emails } = demoSamples();
const CLI = join(ROOT, 'packages/cli/bin/verbalis.js');
const folder = temporaryFolder();
afterAll(folder.remove);

test('the demo has seven templates, two samples each at least, and five languages', () => {
  expect(compiled.problems).toEqual([]);
  expect([...compiled.templates.keys()]).toEqual([
    'boarding-reminder',
    'booking-confirmed',
    'lost-property-found',
    'pier-bulletin',
    'refund-receipt',
    'sailing-cancelled',
    'sign-in-code',
  ]);
  for (const template of project.templates.values()) expect(template.samples.length).toBeGreaterThanOrEqual(2);
  expect([...new Set(emails.map((email) => email.locale))].sort()).toEqual(['ar', 'de', 'en', 'fr', 'ja']);
});

test.each(emails.map((mail) => [mail.name, mail] as const))(
  '%s: well-formed, small, absolute, readable as text',
  (_name, { program, data, locale }) => {
    const { html, text, subject, preview } = prepare(program)({ data, now: NOW });
    const errors: string[] = [];
    parse(html, { onParseError: (error) => errors.push(`${error.code} at ${error.startLine}`) });
    expect(errors).toEqual([]);
    expect(Buffer.byteLength(html)).toBeLessThan(30_000);
    for (const [, url] of html.matchAll(/(?:href|src)="([^"]*)"/g)) expect(url).toMatch(/^(?:https:|mailto:)/);
    expect(html).toContain(`lang="${locale}"`);
    expect(html).toMatch(/<title>[^<]+<\/title>/);
    expect(html).not.toMatch(/<(?:script|form|iframe|input|button|object)\b/);
    for (const tag of html.match(/<img [^>]*>/g) ?? []) expect(tag).toMatch(/alt="[^"]+"[^>]*width="\d+"[^>]*height="\d+"/);
    for (const line of text.split('\n')) if (!/\S{60}/.test(line)) expect(displayWidth(line)).toBeLessThanOrEqual(72);
    expect(text).not.toMatch(/<\/?(?:p|td|table|div|span)\b|mso|\{\{ say|&(?:amp|lt|nbsp);/);
    expect(subject).not.toBe('');
    expect(preview).not.toBe('');
  },
);

test.each(emails.filter(({ template }) => template !== 'pier-bulletin').map((mail) => [mail.name, mail] as const))(
  '%s: what blocks made is read as any other HTML is',
  (_name, { program, data }) => {
    const { html, text } = prepare(program)({ data, now: NOW });
    expect(compareParts(html, text, { isMade: true })).toEqual([]);
    // Also where the parts differ: every other line of the text is missing.
    const less = text.replace(/^.*\n(.*)$/gm, '$1');
    expect(compareParts(html, less, { isMade: true })).toEqual(compareParts(html, less));
    expect(compareParts(html, less).length).toBeGreaterThan(0);
  },
);

describe('data is never markup', () => {
  const hostile = fc.constantFrom(
    '<script>alert(1)</script>',
    '"><img src=x onerror=alert(1)>',
    "' onload='x",
    '{{ booking.total }}',
    '{{{{',
    ':::notice',
    '::action "x" to="y"',
    '\r\nBcc: eve@post.example\r\n\r\n',
    '\u202Egnp.exe',
    '\u2066x',
    '\0',
    '-->',
    '<!--[if mso]>',
    ']]>',
    '&lt;b&gt;',
    '\uFDD0begin0',
    '\uD800',
    '| a | b |',
    '</style><script>',
  );
  /** The same data with other texts in every field that takes any text. */
  const poisoned = (value: unknown, next: () => string): unknown => {
    if (Array.isArray(value)) return value.map((mail) => poisoned(mail, next));
    if (typeof value === 'object' && value !== null)
      return Object.fromEntries(Object.entries(value).map(([key, inner]) => [key, poisoned(inner, next)]));
    return typeof value === 'string' ? next() : value;
  };
  const shape = (html: string): string => [...html.matchAll(/<(?:[a-z][^\s>]*|\/[a-z]+|!--)/gi)].map((found) => found[0]).join(' ');
  test.each(emails.filter((mail) => !mail.name.includes('nasty')).map((mail) => [mail.name, mail] as const))(
    '%s',
    (_name, { program, data, template }) => {
      const run = prepare(program);
      const checks = project.templates.get(template)!.checkData;
      const plain = shape(run({ data, now: NOW }).html);
      fc.assert(
        fc.property(fc.infiniteStream(hostile), (stream) => {
          // Only what the data schema lets through: a place, a date, a link stays what it must be.
          const candidate = poisoned(data, () => stream.next().value as string) as Record<string, unknown>;
          const fitting = fitted(data, candidate, checks);
          try {
            const { html, text, subject, preview } = run({ data: fitting, now: NOW });
            expect(shape(html)).toBe(plain);
            expect(html + text).not.toMatch(/[\0\u202E\u2066\uFDD0]/);
            expect(subject + preview).not.toMatch(/[\r\n\0]/);
          } catch (error) {
            if (!(error instanceof Fault)) throw error;
          }
        }),
        { numRuns: 30 },
      );
    },
  );

  /** Takes the hostile value of each field where the schema allows it, else keeps the sample's. */
  function fitted(good: unknown, bad: unknown, checks: (data: unknown) => unknown[]): unknown {
    let data = structuredClone(good);
    const walk = (at: unknown, other: unknown, path: (string | number)[]): void => {
      if (typeof at === 'object' && at !== null) {
        for (const key of Object.keys(at))
          walk((at as Record<string, unknown>)[key], (other as Record<string, unknown>)[key], [...path, key]);
        return;
      }
      const tried = structuredClone(data);
      let owner = tried as Record<string | number, unknown>;
      for (const step of path.slice(0, -1)) owner = owner[step] as Record<string | number, unknown>;
      owner[path.at(-1)!] = other;
      if (checks(tried).length === 0) data = tried;
    };
    walk(good, bad, []);
    return data;
  }
});

browserTest(
  'at 320 and 375 pixels nothing is cut or scrolls sideways, with styles and without; letters keep their contrast in light and dark',
  async () => {
    const browser = await launch();
    try {
      for (const colorScheme of ['light', 'dark'] as const) {
        const page = await browser.newPage({ viewport: { width: 320, height: 700 }, colorScheme });
        for (const { name, program, data } of emails) {
          const { html } = prepare(program)({ data, now: NOW });
          for (const made of colorScheme === 'light' ? [html, html.replace(/<style>[\s\S]*?<\/style>/g, '')] : [html]) {
            await page.setContent(made);
            const found = await page.evaluate(() => {
              const rgb = (text: string): string | undefined => {
                const parts = /^rgba?\((\d+), (\d+), (\d+)(?:, ([\d.]+))?\)$/.exec(text);
                return parts === null || parts[4] === '0'
                  ? undefined
                  : `#${parts
                      .slice(1, 4)
                      .map((part) => Number(part).toString(16).padStart(2, '0'))
                      .join('')}`;
              };
              const pairs = [...document.querySelectorAll('body *')].flatMap((node) => {
                if (
                  getComputedStyle(node).display === 'none' ||
                  node.closest('[style*="display:none"]') !== null ||
                  ![...node.childNodes].some((childNode) => childNode.nodeType === 3 && childNode.textContent!.trim() !== '')
                )
                  return [];
                let ground: string | undefined;
                for (let at: Element | null = node; at !== null && ground === undefined; at = at.parentElement)
                  ground = rgb(getComputedStyle(at).backgroundColor);
                return [
                  {
                    text: node.textContent.trim().slice(0, 30),
                    ink: rgb(getComputedStyle(node).color) ?? '#000000',
                    ground: ground ?? '#ffffff',
                  },
                ];
              });
              return { wide: document.documentElement.scrollWidth, pairs };
            });
            expect(`${name}: ${found.wide}`).toBe(`${name}: 320`);
            for (const { text, ink, ground } of found.pairs)
              if (contrast(ink, ground) < 4.5)
                throw new Error(`${name}, ${colorScheme}: "${text}" ${ink} on ${ground}: ${contrast(ink, ground).toFixed(2)}`);
          }
        }
        await page.close();
      }
    } finally {
      await browser.close();
    }
  },
);

describe('types of the data', () => {
  test('a call with wrong data does not compile, a right one does', () => {
    const out = join(folder.path, 'mail-data.ts');
    expect(spawnSync(process.execPath, [CLI, 'types', DEMO_FOLDER, '--out', out], { encoding: 'utf8' })).toMatchObject({ status: 0 });
    const app = join(folder.path, 'app.ts');
    const faults = (message: string): string[] => {
      writeFileSync(
        app,
        `import { createClient } from '${join(ROOT, 'packages/client/dist/index.js')}';\nimport type { TemplateData } from './mail-data.js';\nconst mail = createClient<TemplateData>({ url: 'http://127.0.0.1:8620' });\nexport const sent = mail.messages.send(${message});\n`,
      );
      const program = ts.createProgram([app], {
        noEmit: true,
        strict: true,
        skipLibCheck: true,
        module: ts.ModuleKind.NodeNext,
        moduleResolution: ts.ModuleResolutionKind.NodeNext,
        target: ts.ScriptTarget.ES2022,
        types: [],
        lib: ['lib.es2022.d.ts', 'lib.dom.d.ts'],
      });
      return ts.getPreEmitDiagnostics(program).map((diagnostic) => ts.flattenDiagnosticMessageText(diagnostic.messageText, ' '));
    };
    expect(faults("{ template: 'sign-in-code', to: ['a@b.example'], data: { code: '493 027', validMinutes: 10 } }")).toEqual([]);
    expect(faults("{ template: 'sign-in-code', to: ['a@b.example'], data: { code: 493027, validMinutes: 10 } }").join()).toContain(
      "'number' is not assignable to type 'string'",
    );
    expect(faults("{ template: 'sign-in-code', to: ['a@b.example'], data: { code: '1' } }").join()).toContain('validMinutes');
    expect(faults("{ template: 'sign-in-cod', to: ['a@b.example'], data: {} }").join()).toContain('sign-in-cod');
  });

  test('init makes a folder without faults', () => {
    const made = join(folder.path, 'mail');
    expect(spawnSync(process.execPath, [CLI, 'init', made], { encoding: 'utf8' }).status).toBe(0);
    expect(spawnSync(process.execPath, [CLI, 'check', made], { encoding: 'utf8' })).toMatchObject({
      status: 0,
      stdout: expect.stringContaining('nothing to say'),
    });
    expect(spawnSync(process.execPath, [CLI, 'init', made], { encoding: 'utf8' })).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('not empty'),
    });
  });
});
