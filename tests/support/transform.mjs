// How Jest reads our TypeScript. A test is compiled by itself; a module that it tests gives what the environment loads of its build, outside of
// Jest's sandbox (environment.mjs).
import { createHash } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { transform } from 'esbuild';

const BUILT = /\/packages\/(?:cli|client|core|service|simulators|test-kit)\/src\/.+\.ts$/;
const OF_TESTS = /\/test-[^/]+$|\.test\.tsx?$/;

/** The JavaScript that was built of a module; undefined for tests and what only they use. */
function builtOf(file) {
  return BUILT.test(file) && !OF_TESTS.test(file) ? file.replace('/src/', '/dist/').replace(/\.ts$/, '.js') : undefined;
}

async function doorOf(file) {
  const names = Object.keys(await import(file)).map((name) => (name === 'default' ? 'default: door' : name));
  const isDefault = names.includes('default: door');
  return `export const { ${names.join(', ')} } = await globalThis[Symbol.for('verbalis.load')](${JSON.stringify(file)});\n${isDefault ? 'export default door;\n' : ''}`;
}

/** What decides how a file is transformed. */
function cacheKey(source, file, { transformerConfig }) {
  const built = transformerConfig.inside === true ? undefined : builtOf(file);
  return createHash('sha256')
    .update(readFileSync(import.meta.filename))
    .update(JSON.stringify([file, transformerConfig]))
    .update(built === undefined ? source : readFileSync(built))
    .digest('hex');
}

export default {
  getCacheKey: cacheKey,
  getCacheKeyAsync: async (...args) => cacheKey(...args),
  async processAsync(source, file, { transformerConfig }) {
    const built = transformerConfig.inside === true ? undefined : builtOf(file);
    if (built !== undefined) return { code: await doorOf(built) };
    const { code } = await transform(source, {
      sourcefile: file,
      loader: file.endsWith('x') ? 'tsx' : 'ts',
      format: 'esm',
      target: 'es2023',
      sourcemap: 'inline',
      jsx: 'automatic',
      tsconfigRaw: { compilerOptions: { verbatimModuleSyntax: true } },
    });
    return { code };
  },
};
