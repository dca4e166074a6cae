import { tokenize, type Token } from '../notation/index.js';
import { SourceText, type Problem } from '../problems/index.js';

/** Words that stand between two values, or before one. */
const OPERATORS = new Set(['and', 'or', 'not', 'in', 'if', 'else', 'each']);

function endsValue(token: Token | undefined): boolean {
  if (token === undefined) return false;
  if (token.kind === 'name') return !OPERATORS.has(token.text);
  return token.kind === 'string' || token.kind === 'number' || token.text === ')' || token.text === ']';
}

/** Whether a token stands among the arguments of a formatter. */
function isArgument(tokens: readonly Token[], i: number): boolean {
  let depth = 0;
  for (let at = i - 1; at >= 0; at -= 1) {
    const { kind, text } = tokens[at] as Token;
    if (kind !== 'sign') continue;
    if (text === ')' || text === ']') depth += 1;
    else if (text === '(' || text === '[') depth -= 1;
    if (depth < 0) return false;
    if (depth === 0 && text === '|') return true;
  }
  return false;
}

/** Whether two tokens that follow each other have a space between them. */
function isSpaced(tokens: readonly Token[], i: number, isAdjacent: boolean): boolean {
  const [before, token] = [tokens[i - 1], tokens[i]];
  if (before === undefined || token === undefined) return false;
  if (['(', '[', '.'].includes(before.text) && before.kind === 'sign') return false;
  if (token.kind === 'sign' && [')', ']', '.', ','].includes(token.text)) return false;
  if (token.text === '[' && token.kind === 'sign') return !endsValue(before);
  // name=value
  const isNaming = (at: number): boolean =>
    tokens.slice(at, at + 1).some((sign) => sign.kind === 'sign' && sign.text === '=') && tokens[at - 1]?.kind === 'name';
  if (isNaming(i) || isNaming(i - 1)) return false;
  // A sign belongs to its number where it is written so: "round -1" is not "round - 1".
  if (before.text === '-' && before.kind === 'sign' && token.kind === 'number' && isAdjacent && isArgument(tokens, i)) return false;
  if (before.text === '-' && before.kind === 'sign' && !endsValue(tokens[i - 2])) return false;
  return true;
}

/** An expression with one space between its words. One that cannot be read, or goes over lines, stays as it is. */
export function formatExpression(text: string): string {
  if (text.includes('\n')) return text;
  const problems: Problem[] = [];
  const tokens = tokenize(new SourceText('', text), 0, text.length, problems).slice(0, -1);
  if (problems.length > 0 || tokens.length === 0) return text;
  return tokens
    .map((token, i) => {
      const before = tokens[i - 1];
      const isAdjacent = before !== undefined && before.offset + before.length === token.offset;
      return `${isSpaced(tokens, i, isAdjacent) ? ' ' : ''}${token.text}`;
    })
    .join('');
}

/** A text with the expressions in its braces formatted; what stands around them is as it was. */
export function formatBraces(text: string): string {
  let out = '';
  let at = 0;
  for (let open = text.indexOf('{{'); open !== -1; open = text.indexOf('{{', at)) {
    if (text[open - 1] === '\\' || text.startsWith('{{{{', open)) {
      const to = open + (text.startsWith('{{{{', open) ? 4 : 2);
      out += text.slice(at, to);
      at = to;
      continue;
    }
    const close = closing(text, open + 2);
    if (close === -1) break;
    const inner = text.slice(open + 2, close);
    out += `${text.slice(at, open)}{{${withSpaces(inner)}}}`;
    at = close + 2;
  }
  return out + text.slice(at);
}

function withSpaces(inner: string): string {
  if (inner.includes('\n') || inner.trim() === '') return inner;
  if (/^#(?:\s|$)/.test(inner)) return `# ${inner.slice(1).trim()} `;
  return ` ${formatExpression(inner).trim()} `;
}

/** Where braces close that are open; their texts may hold braces. */
function closing(text: string, from: number): number {
  if (/^#(?:\s|\}\})/.test(text.slice(from, from + 3))) return text.indexOf('}}', from);
  let quote = '';
  for (let i = from; i < text.length; i += 1) {
    const char = text[i] ?? '';
    if (quote !== '') {
      if (char === '\\') i += 1;
      else if (char === quote) quote = '';
    } else if (char === '"' || char === "'") quote = char;
    else if (text.startsWith('}}', i)) return i;
    else if (text.startsWith('{{', i)) return -1;
  }
  return -1;
}
