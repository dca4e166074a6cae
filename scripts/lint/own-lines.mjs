/**
 * Limits how long a function is to read: its own lines, without blank lines, comments, and the bodies of functions inside it, which are
 * counted by themselves. A function that only holds others (a store of ten queries) is as easy to read as a class of ten methods; the linter's
 * own `max-lines-per-function` counts the two differently.
 */
export const ownLines = {
  meta: {
    type: 'suggestion',
    schema: [{ type: 'object', properties: { max: { type: 'integer' }, whole: { type: 'integer' } }, additionalProperties: false }],
    messages: {
      own: 'The function {{name}} has {{lines}} lines of its own; {{max}} are allowed. Extract a function.',
      whole: 'The function {{name}} has {{lines}} lines with the functions in it; {{max}} are allowed. Split it by what it does.',
    },
  },
  create(context) {
    const { max = 60, whole = 200 } = context.options[0] ?? {};
    const source = context.sourceCode;
    const code = new Set(source.ast.tokens.flatMap(({ loc }) => range(loc.start.line, loc.end.line)));
    const open = [];
    const enter = (node) => open.push({ node, inner: new Set() });
    const leave = (node) => {
      const { inner } = open.pop();
      const lines = range(node.loc.start.line, node.loc.end.line).filter((line) => code.has(line));
      const outer = open.at(-1);
      // The line on which an inner function begins is one of the outer function, too.
      if (outer !== undefined) for (const line of lines.slice(1)) outer.inner.add(line);
      const own = lines.filter((line) => !inner.has(line)).length;
      const name = node.id?.name ?? node.parent.id?.name ?? node.parent.key?.name ?? `in line ${node.loc.start.line}`;
      if (own > max) context.report({ loc: node.loc.start, messageId: 'own', data: { name, lines: own, max } });
      if (lines.length > whole)
        context.report({ loc: node.loc.start, messageId: 'whole', data: { name, lines: lines.length, max: whole } });
    };
    const each = ['FunctionDeclaration', 'FunctionExpression', 'ArrowFunctionExpression'];
    return Object.fromEntries(
      each.flatMap((type) => [
        [type, enter],
        [`${type}:exit`, leave],
      ]),
    );
  },
};

const range = (from, to) => Array.from({ length: to - from + 1 }, (_, i) => from + i);
