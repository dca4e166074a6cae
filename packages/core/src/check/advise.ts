import type { MailProject, TemplateFiles } from '../folder/index.js';
import type { Color, Theme } from '../html/index.js';
import { Fault, inReadingOrder, problem, SourceText, suggestion, warning, type Place, type Problem } from '../problems/index.js';
import type { CompiledFolder, CompiledTemplate } from '../program/index.js';
import { prepare, type Program, type Rendering } from '../render/index.js';
import { contrast, LEAST_CONTRAST } from './contrast.js';
import { adviseSheets } from './sheets.js';
import { lookAt } from './document.js';
import type { Finding } from './look.js';
import { compareParts } from './parts.js';
import { NO_REPLY, FILTER_WORDS, shouts } from './words.js';

/** Bytes of HTML after which some webmail cuts an email off. */
export const CLIP_LIMIT = 102_400;
const NEAR_CLIP = 0.85;
/** Octets that a subject should not pass (a header line, RFC 5322 2.1.1). */
const SUBJECT_OCTETS = 78;

/**
 * What to mind about the emails that a folder makes: every sample of every template is rendered and looked at.
 * @param now milliseconds since the epoch, for `relative`
 */
export function adviseFolder(project: MailProject, compiled: CompiledFolder, now: number): Problem[] {
  const out: Problem[] = [...adviseTheme(project), ...adviseSheets(project)];
  for (const [name, template] of compiled.templates) {
    const files = project.templates.get(name);
    if (files !== undefined) out.push(...adviseTemplate(project, files, template, now));
  }
  return inReadingOrder(out);
}

/** The same for one template; nothing where it does not compile. */
export function adviseTemplate(project: MailProject, files: TemplateFiles, template: CompiledTemplate, now: number): Problem[] {
  if (template.programs.size === 0) return [];
  const out: Problem[] = [];
  const main = files.sources.get('');
  if (main === undefined) return out;
  const source = new SourceText(main.file, main.text);
  if (files.samples.length === 0)
    out.push(
      suggestion(
        'no-sample',
        source.place(0, 0),
        `The template "${files.name}" has no sample.`,
        'Put data into samples/typical.json: it is what this check and the preview look at.',
      ),
    );
  out.push(...senderAdvice(project, template, source));
  const purpose = template.topic === undefined ? undefined : project.settings.topics[template.topic]?.purpose;
  const isMade = !hasOwnMarkup(project, files);
  const add = once(out);
  // Languages of one source say the same in both parts or in none, but for their strings: one of them is compared.
  const compared = new Set<Program['text']>();
  for (const [locale, program] of template.programs) {
    const render = prepare(program);
    const isCompared = !compared.has(program.text);
    compared.add(program.text);
    const own = locale === project.settings.locale;
    for (const sample of files.samples) {
      let rendering: Omit<Rendering, 'flowed' | 'text'> & { readonly text?: string };
      try {
        const input = { data: sample.data, now };
        rendering = isCompared ? render(input) : render.shown(input);
      } catch (error) {
        if (!(error instanceof Fault)) throw error;
        add(
          problem(
            error.code,
            placeOfFault(error.at, source),
            `With the sample "${sample.name}"${own ? '' : ` in ${locale}`}: ${error.message}`,
            error.hint,
          ),
        );
        continue;
      }
      for (const one of lineAdvice(rendering, source, sample.name)) add(one);
      if (rendering.text === undefined) continue;
      const parts = { html: rendering.html, text: rendering.text };
      for (const partProblem of partProblems(files, template, { locale, parts, sample, now, source, isMade })) add(partProblem);
      // What the document is made of does not change with the language: one look at it is enough.
      if (!own) continue;
      const findings = lookAt({
        html: rendering.html,
        isMade,
        text: parts.text,
        ownMarkup: main.kind === 'html',
        optional: purpose === 'optional',
        asset: (address) => assetAt(project, address),
      });
      for (const finding of findings) add(suggestion(finding.code, placeNear(finding, source), finding.message, finding.hint));
    }
  }
  return out;
}

/** Whether markup of an author's own may be in a template: it is read as a browser would. */
function hasOwnMarkup({ layouts, blocks }: MailProject, { sources }: TemplateFiles): boolean {
  return [...sources.values(), ...layouts.values(), ...blocks.values()].some(
    (file) => ('kind' in file && file.kind === 'html') || file.text.includes(':::raw'),
  );
}

/** Adds problems to a list, none twice. */
function once(out: Problem[]): (fault: Problem) => void {
  const reported = new Set<string>();
  return (fault) => {
    const name = `${fault.code}\0${fault.message}`;
    if (!reported.has(name)) out.push(fault);
    reported.add(name);
  };
}

/** A sender whose answers nobody reads. */
function senderAdvice({ settings, texts }: MailProject, template: CompiledTemplate, source: SourceText): Problem[] {
  const from = template.sender ?? settings.sender ?? '';
  const address = from.slice(from.lastIndexOf('<') + 1).trim();
  if (template.replyTo !== undefined || !NO_REPLY.test(address)) return [];
  const place = template.sender === undefined ? new SourceText('mail.yaml', texts.get('mail.yaml') ?? '').place(0, 0) : source.place(0, 0);
  return [
    suggestion(
      'sender-noreply',
      place,
      `Nobody reads answers to ${from}.`,
      'People answer, and filters count it as a good sign. Name a mailbox that is read, or set replyTo.',
    ),
  ];
}

/** What one part says and the other does not: who reads either of them learns the same. */
function partProblems(
  files: TemplateFiles,
  template: CompiledTemplate,
  {
    locale,
    parts,
    sample,
    now,
    source,
    isMade,
  }: {
    readonly locale: string;
    readonly parts: Pick<Rendering, 'html' | 'text'>;
    readonly sample: TemplateFiles['samples'][number];
    readonly now: number;
    readonly source: SourceText;
    readonly isMade: boolean;
  },
): Problem[] {
  const compared = template.compared?.get(locale);
  const { html, text } = compared === undefined ? parts : prepare(compared)({ data: sample.data, now });
  const differences = compareParts(html, text, { isMade });
  // A text part that is written by hand may well say less, and is its author's.
  const report = files.texts.size > 0 ? warning : problem;
  return (['text', 'html'] as const).flatMap((part) => {
    const missing = differences.filter((difference) => difference.missingIn === part).map((difference) => `"${difference.what}"`);
    if (missing.length === 0) return [];
    const more = missing.length > 6 ? ` and ${missing.length - 6} more` : '';
    return [
      report(
        'parts-differ',
        source.place(0, 0),
        `With the sample "${sample.name}" in ${locale}, the ${part === 'text' ? 'text part' : 'HTML'} lacks ${missing.slice(0, 6).join(', ')}${more}.`,
        'Both parts must say the same. Put what is meant for one of them only in ":::only html" or ":::only text".',
      ),
    ];
  });
}

function lineAdvice(
  { subject, preview, html }: Pick<Rendering, 'subject' | 'preview' | 'html'>,
  source: SourceText,
  sample: string,
): Problem[] {
  const out: Problem[] = [];
  const at = source.text.indexOf('subject:');
  const line = source.place(Math.max(0, at), 8);
  const octets = Buffer.byteLength(subject);
  if (subject === '') out.push(problem('subject-empty', line, `With the sample "${sample}" the subject is empty.`));
  if (octets > SUBJECT_OCTETS)
    out.push(
      suggestion(
        'subject-long',
        line,
        `With the sample "${sample}" the subject has ${octets} octets; many clients show fewer than ${SUBJECT_OCTETS}.`,
        'Put what matters first, or use "shorten".',
      ),
    );
  if (shouts(subject)) out.push(suggestion('filter-words', line, 'The subject is all in capitals, which filters dislike.'));
  for (const { pattern, says } of FILTER_WORDS)
    if (pattern.test(subject)) out.push(suggestion('filter-words', line, `The subject holds ${says}.`));
  if (preview === '')
    out.push(
      suggestion(
        'preview-missing',
        line,
        'There is no preview line.',
        'Without one, lists of emails show the beginning of the body. Write preview: "…".',
      ),
    );
  else if (preview === subject)
    out.push(suggestion('preview-repeats', line, 'The preview says the same as the subject.', 'Say what the subject had no room for.'));
  const bytes = Buffer.byteLength(html);
  if (bytes > CLIP_LIMIT * NEAR_CLIP) {
    const over = bytes > CLIP_LIMIT;
    const consequence = over ? 'so its end is cut off there' : 'and a little more data will pass it';
    out.push({
      ...suggestion(
        'size',
        source.place(0, 0),
        `With the sample "${sample}" the HTML has ${bytes} bytes; some webmail cuts at ${CLIP_LIMIT}, ${consequence}.`,
      ),
      severity: over ? 'warning' : 'suggestion',
    });
  }
  return out;
}

function assetAt(project: MailProject, address: string): { path: string; bytes: number | undefined } | undefined {
  const base = project.settings.baseUrl ?? '';
  if (address.startsWith('cid:assets/')) return { path: address.slice('cid:'.length), bytes: undefined };
  const at = address.startsWith(base) ? decodeURI(address.slice(base.length).replace(/^\//, '')) : address;
  return at.startsWith('assets/') ? { path: at, bytes: project.assets.get(at)?.length } : undefined;
}

function placeNear(finding: Finding, source: SourceText): Place {
  const at = finding.near === undefined || finding.near === '' ? -1 : source.text.indexOf(finding.near);
  return at === -1 ? source.place(0, 0) : source.place(at, finding.near?.length ?? 1);
}

/** "file:line:column" as the renderer tells it. */
function placeOfFault(at: string, source: SourceText): Place {
  const found = /^(.*):(\d+):(\d+)$/.exec(at);
  if (found === null) return source.place(0, 0);
  return { file: found[1] ?? '', line: Number(found[2]), column: Number(found[3]), offset: 0, length: 1 };
}

const PAIRS: readonly (readonly [text: Color, background: Color])[] = [
  ['text', 'surface'],
  ['text', 'page'],
  ['soft', 'surface'],
  ['soft', 'page'],
  ['link', 'surface'],
  ['onAccent', 'accent'],
  ['accent', 'surface'],
  ['onInfo', 'info'],
  ['onGood', 'good'],
  ['onWarning', 'warning'],
  ['onDanger', 'danger'],
];

/** What to mind about the colours of the theme. */
export function adviseTheme({ theme, texts }: { readonly theme: Theme; readonly texts: ReadonlyMap<string, string> }): Problem[] {
  const file = 'theme.tokens.json';
  const source = new SourceText(file, texts.get(file) ?? '');
  if (!texts.has(file)) return [];
  return (['light', 'dark'] as const).flatMap((scheme) =>
    PAIRS.flatMap(([textColor, background]): Problem[] => {
      const ratio = contrast(theme.color[textColor][scheme], theme.color[background][scheme]);
      if (ratio >= LEAST_CONTRAST) return [];
      const key = source.text.includes(`"${textColor}"`) ? `"${textColor}"` : `"${background}"`;
      const place = source.place(Math.max(0, source.text.indexOf(key)), key.length);
      return [
        warning(
          'contrast',
          place,
          `color.${textColor} on color.${background} has a contrast of ${ratio.toFixed(1)}:1 on a ${scheme} background; ${LEAST_CONTRAST}:1 is the least that reads well.`,
          'Make one of them lighter or darker.',
        ),
      ];
    }),
  );
}
