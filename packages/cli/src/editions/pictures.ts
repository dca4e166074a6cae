import { createHash } from 'node:crypto';
import { join } from 'node:path';
import { PNG } from 'pngjs';
import { changedRows, type Comparison, type RenderingChange } from '@verbalis/core/comparison';
import { writeOut } from '../out-file.js';
import type { Output } from '../output.js';
import { openBrowser, type Browser } from './browser.js';

/** Width of the pictures in CSS pixels: a reading pane on a wide screen. */
const WIDTH = 640;
/** Emails of which pictures are taken; the page says so where there are more. */
const MOST = 100;

interface PicturesInput {
  readonly folder: string;
  /** What is compared, for the headings. */
  readonly names: readonly [string, string];
  readonly comparison: Comparison;
}

/** A part of a picture that differs, in pixels. */
interface Region {
  readonly top: number;
  readonly height: number;
  readonly left: number;
  readonly width: number;
}

interface Shot {
  readonly file: string;
  readonly png: PNG;
  readonly regions: Region[];
}

/** Writes a page with pictures of what differs, side by side. @returns its path */
export async function writePictures({ folder, names, comparison }: PicturesInput, output: Output): Promise<string> {
  const shown = comparison.renderings.slice(0, MOST);
  if (shown.length < comparison.renderings.length)
    output.note(`Pictures are taken of ${MOST} emails; ${comparison.renderings.length} differ.`);
  const browser = await openBrowser();
  const parts: string[] = [];
  try {
    for (const [i, rendering] of shown.entries()) parts.push(await section({ browser, folder, rendering, i }));
  } finally {
    await browser.close();
  }
  const page = join(folder, 'index.html');
  writeOut(page, pageOf(names, comparison, parts));
  return page;
}

interface SectionInput {
  readonly browser: Browser;
  readonly folder: string;
  readonly rendering: RenderingChange;
  readonly i: number;
}

async function section({ browser, folder, rendering, i }: SectionInput): Promise<string> {
  const { template, sample, locale, html, change } = rendering;
  const shots: (Shot | undefined)[] = [];
  for (const [side, document] of [
    ['before', html.before],
    ['after', html.after],
  ] as const) {
    if (document === undefined) {
      shots.push(undefined);
      continue;
    }
    const bytes = await browser.picture(document, WIDTH);
    const file = `${String(i + 1).padStart(3, '0')}-${side}.png`;
    writeOut(join(folder, file), bytes);
    shots.push({ file, png: PNG.sync.read(bytes), regions: [] });
  }
  const [before, after] = shots;
  if (before !== undefined && after !== undefined) markRegions(before, after);
  const looksSame = change === 'changed' && before?.regions.length === 0 && after?.regions.length === 0;
  return `<section><h2>${escaped(template)} <small>${escaped(locale)} · ${escaped(sample)}${change === 'changed' ? '' : ` · ${change}`}</small></h2>
${facts(rendering)}${looksSame ? '<p>It looks the same at this width.</p>' : ''}
<div class="pair">${shots.map((shot) => `<figure>${shot === undefined ? '' : figure(shot)}</figure>`).join('')}</div></section>`;
}

function rowsOf({ width, height, data }: PNG): string[] {
  return Array.from({ length: height }, (_, y) =>
    createHash('sha1')
      .update(data.subarray(y * width * 4, (y + 1) * width * 4))
      .digest('base64'),
  );
}

/** Rows between two differences that are taken into one. */
const NEAR = 12;

function markRegions(before: Shot, after: Shot): void {
  for (const { before: a, after: b } of changedRows(rowsOf(before.png), rowsOf(after.png))) {
    const sides = a[1] === b[1] ? columns(before.png, after.png, a[0], b[0], a[1]) : { left: 0, width: WIDTH };
    add(before, { top: a[0], height: a[1], ...sides });
    add(after, { top: b[0], height: b[1], ...sides });
  }
}

function add({ regions }: Shot, region: Region): void {
  const last = regions.at(-1);
  if (last === undefined || region.top - (last.top + last.height) > NEAR) {
    regions.push(region);
    return;
  }
  const left = Math.min(last.left, region.left);
  const right = Math.max(last.left + last.width, region.left + region.width);
  regions[regions.length - 1] = { top: last.top, height: region.top + region.height - last.top, left, width: right - left };
}

/** From which column to which as many rows of two pictures differ. */
function columns(
  a: PNG,
  b: PNG,
  ...[fromA, fromB, count]: readonly [number, number, number]
): { readonly left: number; readonly width: number } {
  let [left, right] = [WIDTH, 0];
  for (let y = 0; y < count; y += 1)
    for (let x = 0; x < WIDTH; x += 1) {
      const [i, j] = [((fromA + y) * a.width + x) * 4, ((fromB + y) * b.width + x) * 4];
      if (a.data.readUInt32BE(i) === b.data.readUInt32BE(j)) continue;
      left = Math.min(left, x);
      right = Math.max(right, x + 1);
    }
  return { left, width: Math.max(0, right - left) };
}

const escaped = (text: string): string =>
  text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;').replaceAll('"', '&quot;');

/** Pixels around what differs, so that its frame does not hide it. */
const ROOM = 4;

function figure({ file, png, regions }: Shot): string {
  const percent = (value: number, whole: number): string => `${((value * 100) / whole).toFixed(3)}%`;
  const frames = regions.map(({ top, height, left, width }) => {
    const style = [
      `top:${percent(Math.max(0, top - ROOM), png.height)}`,
      `height:${percent(Math.max(2, height) + 2 * ROOM, png.height)}`,
      `left:${percent(Math.max(0, left - ROOM), png.width)}`,
      `width:${percent(Math.min(png.width, width + 2 * ROOM), png.width)}`,
    ];
    return `<i style="${style.join(';')}"></i>`;
  });
  return `<img src="${file}" width="${png.width}" height="${png.height}" alt="">${frames.join('')}`;
}

function facts({ subject, preview, text, links, bytes, change }: RenderingChange): string {
  const rows: [string, string][] = [];
  const pair = (name: string, texts: { readonly before: string; readonly after: string } | undefined): void => {
    if (texts !== undefined) rows.push([name, `<del>${escaped(texts.before)}</del> <ins>${escaped(texts.after)}</ins>`]);
  };
  pair('Subject', subject);
  pair('Preview', preview);
  const list = (name: string, added: readonly string[], removed: readonly string[]): void => {
    const all = [...removed.map((text) => `<del>${escaped(text)}</del>`), ...added.map((text) => `<ins>${escaped(text)}</ins>`)];
    if (all.length > 0) rows.push([name, all.join('<br>')]);
  };
  const lines = text.filter(({ mark, text: line }) => mark !== ' ' && line.trim() !== '');
  if (lines.length > 0)
    rows.push([
      'Text',
      lines.map(({ mark, text: line }) => (mark === '-' ? `<del>${escaped(line)}</del>` : `<ins>${escaped(line)}</ins>`)).join('<br>'),
    ]);
  list(
    'Links',
    links.added.map(({ href }) => href),
    links.removed.map(({ href }) => href),
  );
  if (change === 'changed' && bytes.before !== bytes.after) rows.push(['HTML', `${bytes.before} → ${bytes.after} bytes`]);
  return rows.length === 0 ? '' : `<table>${rows.map(([name, value]) => `<tr><th>${name}</th><td>${value}</td></tr>`).join('')}</table>`;
}

function pageOf([before, after]: readonly [string, string], { renderings, same, advice }: Comparison, parts: readonly string[]): string {
  const notes = advice.map(
    ({ template, change, problem }) =>
      `<li>${change === 'added' ? '<ins>new</ins>' : '<del>gone</del>'} ${escaped(template)}: ${escaped(problem.message)}</li>`,
  );
  return `<!DOCTYPE html>
<html lang="en"><head><meta charset="utf-8"><title>${escaped(before)} and ${escaped(after)}</title>
<style>
:root { color-scheme: light dark; font: 15px/1.5 system-ui, sans-serif }
body { max-width: 1320px; margin: 24px auto; padding: 0 16px }
h2 { margin: 40px 0 8px; font-size: 20px } small { font-weight: normal; opacity: 0.75 }
table { border-collapse: collapse; margin: 0 0 12px } th { text-align: left; padding: 2px 16px 2px 0; vertical-align: top; font-weight: 600 }
td { overflow-wrap: anywhere } ins { color: #0a6b2e; text-decoration: none } ins::before { content: '+ ' } del { color: #a3151c; text-decoration: none } del::before { content: '− ' }
@media (prefers-color-scheme: dark) { ins { color: #6fd08c } del { color: #ff9a94 } }
.pair { display: grid; grid-template-columns: 1fr 1fr; gap: 16px; align-items: start } .names { position: sticky; top: 0; background: Canvas; padding: 8px 0; z-index: 1; font-weight: 600 }
figure { position: relative; margin: 0; min-height: 40px; border: 1px solid #8886 } img { display: block; width: 100%; height: auto }
i { position: absolute; box-sizing: border-box; border: 2px solid #d4351c; border-radius: 3px }
</style></head><body>
<h1>${escaped(before)} and ${escaped(after)}</h1>
<p>${renderings.length} of ${renderings.length + same} emails differ.</p>
${notes.length === 0 ? '' : `<ul>${notes.join('\n')}</ul>`}
<div class="pair names"><div>${escaped(before)}</div><div>${escaped(after)}</div></div>
${parts.join('\n')}
</body></html>
`;
}
