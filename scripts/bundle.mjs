// Makes one folder of JavaScript of the service, the command line and every package that they need: a process that reads twenty files
// starts in a third of the time of one that reads 1500. Part of the build; the tests make a folder of their own.
import { cpSync, existsSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { basename, join, relative } from 'node:path';
import { build } from 'esbuild';
import { root } from './steps.mjs';

/** What stays a package of its own: it has a binary, or is asked for only if somebody has installed it. */
export const OUTSIDE = ['better-sqlite3', 'playwright-core'];

const sources = (name) => join(root, 'packages', name, 'src');
const files = (folder, wanted) =>
  readdirSync(folder, { recursive: true })
    .filter((file) => wanted.test(file) && !file.includes('test'))
    .map((file) => join(folder, file));

/** The sources behind `@verbalis/…`. @returns undefined for anything else */
export function sourceOf(name) {
  const [, own, rest] = /^@verbalis\/([a-z-]+)(?:\/(.+))?$/.exec(name) ?? [];
  if (own === undefined) return undefined;
  const from = sources(own);
  const found = [
    ...(rest === undefined ? ['index.ts', 'app/index.ts', 'main.ts'] : []),
    `${rest}/index.ts`,
    `${rest}.ts`,
    `app/${rest}.ts`,
    `features/${rest}/index.ts`,
  ].find((file) => existsSync(join(from, file)));
  return found === undefined ? undefined : join(from, found);
}

const own = {
  name: 'own packages',
  setup: ({ onResolve }) => onResolve({ filter: /^@verbalis\// }, ({ path }) => ({ path: sourceOf(path) })),
};

/** Bundles entries, with what they share in files of its own. @returns what esbuild says of it */
async function buildTogether(outdir, entryPoints) {
  const { metafile } = await build({
    absWorkingDir: root,
    entryPoints,
    outdir,
    bundle: true,
    splitting: true,
    format: 'esm',
    platform: 'node',
    target: 'node20.19',
    // Modules before CommonJS where a package has both: some of the latter cannot be bundled.
    mainFields: ['module', 'main'],
    // Jest gives its own functions to each suite.
    external: [...OUTSIDE, '@jest/globals'],
    // Names stay, so that a stack trace of a user is readable. Comments go: one letter outside of Latin 1 in them doubles what a file takes in
    // memory, since its text is kept.
    minifyWhitespace: true,
    lineLimit: 160,
    chunkNames: 'part-[hash]',
    legalComments: 'none',
    logLevel: 'warning',
    metafile: true,
    plugins: [own],
    banner: { js: "import{createRequire as requireHere}from'node:module';const require=requireHere(import.meta.url);" },
  });
  return metafile;
}

/**
 * @param folder below packages/cli/bundle: as deep as packages/cli/src/demo, so that paths beside the sources hold in it, too
 * @param more entries: a name, and its source
 * @returns the packages that are in it, and what each entry exports
 */
export async function bundle(folder, more = {}) {
  const out = join(root, 'packages/cli/bundle', folder);
  rmSync(out, { recursive: true, force: true });
  const threads = files(sources('service'), /-thread\.ts$/).map((file) => [basename(file, '.ts'), file]);
  const apart = [
    ['prove-clock', join(sources('cli'), 'service/prove-clock.ts')],
    ['simulators-main', join(sources('cli'), 'demo/simulators-main.ts')],
    ...threads,
  ];
  const built = await Promise.all([
    buildTogether(out, { main: join(sources('cli'), 'main.ts'), ...more }),
    // Each alone: what several entries share, each of them loads as a whole. A listener's thread is 0.1 MB in place of 3.
    ...apart.map((entry) => buildTogether(out, Object.fromEntries([entry]))),
  ]);
  cpSync(join(root, 'packages/service/drizzle'), join(root, 'packages/cli/drizzle'), { recursive: true });
  const packages = new Set();
  for (const input of built.flatMap(({ inputs }) => Object.keys(inputs))) {
    const at = input.lastIndexOf('node_modules/');
    if (at < 0) continue;
    const [scope, name] = input.slice(at + 'node_modules/'.length).split('/');
    packages.add(join(root, input.slice(0, at), 'node_modules', scope.startsWith('@') ? `${scope}/${name}` : scope));
  }
  writeFileSync(join(out, '.packages.json'), `${JSON.stringify([...packages].map((path) => relative(root, path)).sort(), null, 2)}\n`);
  const exported = Object.fromEntries(
    built
      .flatMap(({ outputs }) => Object.entries(outputs))
      .map(([file, { exports }]) => [relative(out, join(root, file)).replace(/\.js$/, ''), exports]),
  );
  return { packages: [...packages].sort(), exported };
}

if (process.argv[1] === import.meta.filename) await bundle('app');
