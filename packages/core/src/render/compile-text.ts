import { COLUMNS, displayWidth, pairs, table, wrap, type TableRow } from '../text/index.js';
import { compileOps, compileSteered } from './compile-ops.js';
import type { Environment } from './environment.js';
import type { Steer, TextItem, TextOp, TextRow } from './ops.js';
import type { Run } from './values.js';

/** A run of lines that belong together; `[]` is nothing and takes no space. */
type Block = string[];
type TextRun = (env: Environment, width: number) => Block[];

/** What stands under a heading, by its depth; all deeper ones have the last. */
const RULES = ['=', '-', '.'];

/** Marks a line that was broken at a space for its length only; a noncharacter, which no source and no value holds. */
export const SOFT_BREAK = '\uFDEF';

/** Lines that stand inside of something with marks of its own cannot be joined again. */
function hard(lines: readonly string[]): string[] {
  return lines.map((line) => (line.endsWith(SOFT_BREAK) ? line.slice(0, -1) : line));
}

/** The text part as a function from data to text. */
export function compileText(ops: readonly TextOp[]): Run<string> {
  const body = compileBlocks(ops);
  return (env) => {
    env.notes.length = 0;
    const blocks = body(env, COLUMNS);
    const notes = env.notes.map((url, i) => `[${i + 1}] ${url}`);
    return `${spaced([...blocks, notes]).join('\n')}\n`;
  };
}

/** Blocks under each other, an empty line between them. */
function spaced(blocks: readonly Block[]): string[] {
  const out: string[] = [];
  for (const block of blocks) {
    if (block.length === 0) continue;
    if (out.length > 0) out.push('');
    for (const line of block) out.push(line);
  }
  return out;
}

function compileBlocks(ops: readonly TextOp[]): TextRun {
  type One = Exclude<TextOp, Steer<TextOp>>;
  // What a loop variable holds changes while the entries are gone through, so each entry runs as it is met.
  const run = compileSteered<One, TextRun>(ops as readonly One[], compileBlock);
  return (env, width) => {
    const out: Block[] = [];
    run(env, (textRun) => {
      for (const block of textRun(env, width)) out.push(block);
    });
    return out;
  };
}

function compileBlock(op: Exclude<TextOp, Steer<TextOp>>): TextRun {
  switch (op.op) {
    case 'paragraph': {
      const body = compileOps(op.body);
      return (env, width) => {
        const text = body(env).trim();
        return text === '' ? [] : [wrap(text.replaceAll(SOFT_BREAK, ''), width, SOFT_BREAK)];
      };
    }
    case 'heading': {
      const body = compileOps(op.body);
      return (env, width) => {
        const lines = wrap(body(env).trim(), width);
        const rule = RULES[Math.min(op.depth, RULES.length) - 1];
        if (lines.join('') === '') return [];
        return [rule === undefined ? lines : [...lines, rule.repeat(Math.min(width, Math.max(...lines.map(displayWidth))))]];
      };
    }
    case 'lines': {
      const body = compileOps(op.body);
      return (env) => [
        body(env)
          .replace(/(?<!\n)\n+$/, '')
          .split('\n'),
      ];
    }
    case 'rule':
      return (_env, width) => [['-'.repeat(width)]];
    case 'link': {
      const [label, to] = [compileOps(op.label), compileOps([op.to])];
      return (env, width) => {
        const [words, url] = [label(env).trim(), to(env)];
        if (words === '' || words === url) return [[url]];
        return [displayWidth(words) + 2 + url.length <= width ? [`${words}: ${url}`] : [...wrap(`${words}:`, width), url]];
      };
    }
    case 'inset': {
      const body = compileBlocks(op.body);
      return (env, width) => {
        const inner = spaced(body(env, width - displayWidth(op.rest)));
        const lines = op.rest === '' ? inner : hard(inner);
        return [lines.map((line, i) => (i === 0 ? op.first + line : (op.rest + line).trimEnd()))];
      };
    }
    case 'stack': {
      const body = compileBlocks(op.body);
      return (env, width) => [body(env, width).flat()];
    }
    case 'list':
      return compileList(op);
    case 'pairs': {
      const rows = compileRows(op.rows);
      return (env, width) => [pairs(rows(env), width)];
    }
    case 'table': {
      const rows = compileRows(op.rows);
      return (env, width) => [table(rows(env), { right: op.right, width, head: op.head === true })];
    }
  }
}

function compileRows(nodes: readonly TextRow[]): (env: Environment) => TableRow[] {
  type One = Extract<TextRow, { op: 'row' }>;
  const run = compileSteered<One, (env: Environment) => TableRow>(nodes as readonly One[], (row) => {
    const cells = row.cells.map(compileOps);
    return (env) => ({ cells: cells.map((cell) => cell(env).trim()), total: row.total });
  });
  return (env) => {
    const out: TableRow[] = [];
    run(env, (row) => out.push(row(env)));
    return out;
  };
}

function compileList(op: Extract<TextOp, { op: 'list' }>): TextRun {
  type One = Extract<TextItem, { op: 'item' }>;
  const run = compileSteered<One, TextRun>(op.items as readonly One[], (item) => compileBlocks(item.body));
  return (env, width) => {
    const items: Block[] = [];
    run(env, (item) => {
      const mark = op.ordered ? `${op.start + items.length}. ` : '- ';
      const blocks = item(env, width - mark.length);
      const lines = hard(op.tight ? blocks.flat() : spaced(blocks));
      items.push(lines.map((line, i) => (i === 0 ? mark + line : (' '.repeat(mark.length) + line).trimEnd())));
    });
    return op.tight ? [items.flat()] : items;
  };
}
