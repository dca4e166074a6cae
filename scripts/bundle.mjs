// Makes one folder of JavaScript of the service, the command line and every package that they need: a process that reads twenty files
// starts in a third of the time of one that reads 1500. Part of the build; the tests make a folder of their own.
import { createHash } from 'node:crypto';
import { cpSync, existsSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { basename, join, relative } from 'node:path';
import { build as bundle } from 'esbuild';
import { root, run } from './steps.mjs';

/** What stays a package of its own: it has a binary, or is asked for only if someone has installed it. */
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
  const { metafile } = await bundle({
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

/** Where bundles are: as deep as packages/cli/src/demo, so that paths beside the sources hold in them, too. */
export const BUNDLES = join(root, 'packages/cli/bundle');
/** The bundle that users get. */
const APP = join(BUNDLES, 'app');
const MIGRATIONS = 'packages/service/drizzle';
const MAIN = { main: join(sources('cli'), 'main.ts') };
/** In the bundle: of which sources it is made, and which of its files are of entries that are bundled alone. */
const [MADE_OF, ALONE] = ['.sources', '.alone.json'].map((name) => join(APP, name));

/** What decides how a bundle comes out: sources, migrations, packages, and this file. SHA-256 */
export function hashOfSources() {
  const hash = createHash('sha256');
  for (const file of [join(root, 'package-lock.json'), import.meta.filename]) hash.update(readFileSync(file));
  for (const name of ['core', 'client', 'service', 'simulators', 'cli', 'test-kit'])
    for (const file of readdirSync(sources(name), { recursive: true }).sort())
      if (/(?<!\.test)\.ts$/.test(file)) hash.update(file).update(readFileSync(join(sources(name), file)));
  // Copied beside it.
  for (const file of readdirSync(join(root, MIGRATIONS), { recursive: true }).sort())
    if (/\.(?:sql|json)$/.test(file)) hash.update(file).update(readFileSync(join(root, MIGRATIONS, file)));
  return hash.digest('hex');
}

/** Whether the bundle that users get is made of the sources as they are. */
export const isCurrent = () => existsSync(MADE_OF) && readFileSync(MADE_OF, 'utf8') === hashOfSources();

const outputsOf = (out, metafiles) =>
  metafiles.flatMap(({ outputs }) => Object.entries(outputs).map(([file, { exports }]) => [relative(out, join(root, file)), exports]));

/** Makes the bundle that users get. */
async function bundleApp() {
  const sourcesHash = hashOfSources();
  rmSync(APP, { recursive: true, force: true });
  const threads = files(sources('service'), /-thread\.ts$/).map((file) => [basename(file, '.ts'), file]);
  const alone = [
    ['prove-clock', join(sources('cli'), 'service/prove-clock.ts')],
    ['simulators-main', join(sources('cli'), 'demo/simulators-main.ts')],
    ...threads,
  ];
  const [main, ...others] = await Promise.all([
    buildTogether(APP, MAIN),
    // Each alone: what several entries share, each of them loads as a whole. A listener's thread is 0.1 MB in place of 3.
    ...alone.map((entry) => buildTogether(APP, Object.fromEntries([entry]))),
  ]);
  cpSync(join(root, MIGRATIONS), join(root, 'packages/cli/drizzle'), { recursive: true });
  const packages = new Set();
  for (const input of [main, ...others].flatMap(({ inputs }) => Object.keys(inputs))) {
    const at = input.lastIndexOf('node_modules/');
    if (at < 0) continue;
    const [scope, name] = input.slice(at + 'node_modules/'.length).split('/');
    packages.add(join(root, input.slice(0, at), 'node_modules', scope.startsWith('@') ? `${scope}/${name}` : scope));
  }
  writeFileSync(join(APP, '.packages.json'), `${JSON.stringify([...packages].map((path) => relative(root, path)).sort(), null, 2)}\n`);
  writeFileSync(ALONE, JSON.stringify(outputsOf(APP, others).map(([file]) => file)));
  writeFileSync(MADE_OF, sourcesHash);
}

/**
 * Makes a bundle with the same and more, beside the current one that users get: what is bundled alone is copied from there.
 * @param more entries: a name, and its source
 * @returns what each entry exports
 */
export async function bundleMore(folder, more) {
  const out = join(BUNDLES, folder);
  rmSync(out, { recursive: true, force: true });
  const built = await buildTogether(out, { ...MAIN, ...more });
  for (const file of JSON.parse(readFileSync(ALONE, 'utf8'))) cpSync(join(APP, file), join(out, file));
  return Object.fromEntries(outputsOf(out, [built]).map(([file, exports]) => [file.replace(/\.js$/, ''), exports]));
}

/** Builds, and makes the bundle of it. @param options for tsc */
export async function build(options = []) {
  run('tsc -b', process.execPath, ['node_modules/typescript-native/bin/tsc', '-b', ...options]);
  console.error('\n▸ bundle');
  await bundleApp();
}

if (process.argv[1] === import.meta.filename) await build(process.argv.slice(2));
