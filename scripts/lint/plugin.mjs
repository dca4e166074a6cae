// Rules of our own for the linter.
import { ownLines } from './own-lines.mjs';

/** A parameter is named for what it holds. */
const tellingParameters = {
  meta: { type: 'suggestion', schema: [], messages: { one: 'Name the parameter for what it holds.' } },
  create(context) {
    const check = ({ params }) => {
      for (const param of params)
        if (param.type === 'Identifier' && param.name === 'one') context.report({ node: param, messageId: 'one' });
    };
    return { FunctionDeclaration: check, FunctionExpression: check, ArrowFunctionExpression: check };
  },
};

/** Unions of literals need no code, and JSON holds them. */
const noEnums = {
  meta: { type: 'suggestion', schema: [], messages: { enum: 'Use a union of literals.' } },
  create: (context) => ({ TSEnumDeclaration: (node) => context.report({ node, messageId: 'enum' }) }),
};

export default {
  meta: { name: 'verbalis' },
  rules: { 'own-lines': ownLines, 'telling-parameters': tellingParameters, 'no-enums': noEnums },
};
