import { problem, type Problem, type SourceText } from '../problems/index.js';
import type { Prose, Region } from './markdown.js';
import type { Fact, Row } from './tree.js';

type Line = Region['lines'][number];

interface Entry {
  readonly mark: string;
  readonly lines: Line[];
}

const ROLES: Readonly<Record<string, Row['role']>> = { '=': 'total', '#': 'head' };

/** Groups lines into entries: one starts with a mark (`-`, `=`, `#`), indented lines go on with it. */
function entriesOf(
  region: Region,
  { marks, example }: { readonly marks: string; readonly example: string },
  source: SourceText,
  problems: Problem[],
): Entry[] {
  const out: Entry[] = [];
  for (const line of region.lines) {
    const start = /^([ \t]*)([-*=#])[ \t]+(?=\S)/.exec(line.text);
    const last = out[out.length - 1];
    if (start !== null && marks.includes(start[2] ?? '')) {
      const cut = start[0].length;
      out.push({ mark: start[2] ?? '', lines: [{ text: line.text.slice(cut), offset: line.offset + cut }] });
    } else if (line.text.trim() === '') {
      continue;
    } else if (last !== undefined && /^[ \t]/.test(line.text)) {
      last.lines.push(line);
    } else {
      problems.push(
        problem(
          'row-form',
          source.place(line.offset, line.text.length),
          'This line is not an entry of the block.',
          `Entries look like "${example}".`,
        ),
      );
    }
  }
  return out;
}

/** Offsets in `text` of `sign`, outside of `{{ }}` and not after a backslash. */
function signsOutside(text: string, sign: string): number[] {
  const out: number[] = [];
  let inside = false;
  for (let i = 0; i < text.length; i += 1) {
    if (text[i] === '\\' && !inside) i += 1;
    else if (text.startsWith('{{', i)) {
      inside = true;
      i += 1;
    } else if (text.startsWith('}}', i)) {
      inside = false;
      i += 1;
    } else if (!inside && text[i] === sign) out.push(i);
  }
  return out;
}

function part(line: Line, from: number, to: number): Line {
  const text = line.text.slice(from, to);
  const lead = text.length - text.trimStart().length;
  return { text: text.trim(), offset: line.offset + from + lead };
}

/** `- Label: value`, the value going on over indented lines. */
export function readFacts(region: Region, source: SourceText, prose: Prose, problems: Problem[]): Fact[] {
  return entriesOf(region, { marks: '-*', example: '- Label: value' }, source, problems).flatMap((entry): Fact[] => {
    const [first, ...rest] = entry.lines as [Line, ...Line[]];
    const place = source.place(first.offset, first.text.length);
    const colon = signsOutside(first.text, ':').find((at) => /^\s|^$/.test(first.text.slice(at + 1)));
    if (colon === undefined) {
      problems.push(problem('fact-form', place, 'This entry has no label.', 'Entries look like "- Label: value".'));
      return [];
    }
    const label = prose.inline({ lines: [part(first, 0, colon)] });
    const value = prose.inline({
      lines: [part(first, colon + 1, first.text.length), ...rest.map((line) => part(line, 0, line.text.length))],
    });
    return [{ kind: 'fact', label, value, place }];
  });
}

/** `- a | b | c` is a row, `= a | b | c` a total row, `# a | b | c` the headings of the columns. */
export function readRows(region: Region, source: SourceText, prose: Prose, problems: Problem[]): Row[] {
  return entriesOf(region, { marks: '-*=#', example: '- Label | 2 | 10.00' }, source, problems).map((entry): Row => {
    const line: Line = { text: entry.lines.map(({ text }) => text).join(' '), offset: entry.lines[0]?.offset ?? 0 };
    const bars = signsOutside(line.text, '|');
    const cells = [...bars, line.text.length].map((end, n) => {
      const cell = part(line, n === 0 ? 0 : (bars[n - 1] ?? 0) + 1, end);
      return cell.text === '' ? [] : prose.inline({ lines: [{ ...cell, text: cell.text.replace(/\\\|/g, '|') }] });
    });
    return { kind: 'row', role: ROLES[entry.mark] ?? 'item', cells, place: source.place(line.offset, line.text.length) };
  });
}
