// Makes a release: `node scripts/release.mjs [FOLDER]`. In FOLDER (release/): a tarball of each package, the one package "verbalis" that brings
// service, command line and console, a bill of materials (CycloneDX) and checksums. Nothing is published.
import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { chmodSync, cpSync, existsSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { OUTSIDE } from './bundle.mjs';
import { root, run } from './steps.mjs';

const out = resolve(process.argv.find((arg, i) => i > 1 && !arg.startsWith('--')) ?? join(root, 'release'));
/** What `verbalis` brings in itself, so that one tarball is enough: the console, and the bundle of everything else. */
const INSIDE = ['console', 'cli'];
/** What apps install on their own. */
const OWN = ['client', 'core', 'test-kit'];

/** What the package of the command line has from the root of the repository. */
const AT_ROOT = new Set(['demo', 'editors']);

const read = (file) => JSON.parse(readFileSync(join(root, file), 'utf8'));
const ended = (message) => {
  console.error(message);
  process.exit(1);
};

const { version, description, license, engines, bugs } = read('package.json');
for (const name of new Set([...INSIDE, ...OWN])) {
  const own = read(`packages/${name}/package.json`).version;
  if (own !== version) ended(`packages/${name} has the version ${own}, and the release is ${version}.`);
}
if (!readFileSync(join(root, 'CHANGELOG.md'), 'utf8').includes(`## ${version}`)) ended(`CHANGELOG.md has no section "## ${version}".`);

if (!process.argv.includes('--built')) run('build', process.execPath, ['scripts/build.mjs']);
rmSync(out, { recursive: true, force: true });
mkdirSync(out, { recursive: true });

/** Packs a folder as npm would publish it. @returns the files in it */
function pack(folder) {
  const { status, stdout, stderr } = spawnSync('npm', ['pack', '--json', '--silent', '--ignore-scripts', '--pack-destination', out], {
    cwd: folder,
    encoding: 'utf8',
    maxBuffer: 64 * 1024 * 1024,
  });
  if (status !== 0) ended(`npm pack failed in ${folder}:\n${stderr}`);
  return JSON.parse(stdout)[0].files.map(({ path }) => path);
}

/** A package as it is installed: what its "files" name. */
function copyPackage(name, to, isInside) {
  const from = join(root, 'packages', name);
  const { private: _private, devDependencies: _dev, scripts: _scripts, ...manifest } = read(`packages/${name}/package.json`);
  mkdirSync(to, { recursive: true });
  for (const path of manifest.files) {
    const source = name === 'cli' && AT_ROOT.has(path) ? join(root, path) : join(from, path);
    cpSync(source, join(to, path), {
      recursive: true,
      filter: (file) => !/\.tsbuildinfo$|\/\.sources$|\/\.(?:packages|alone)\.json$/.test(file),
    });
  }
  cpSync(join(root, 'LICENSE'), join(to, 'LICENSE'));
  // What is brought along is not asked for its own dependencies: npm would take them to be in the package, too, and leave them out.
  if (isInside) delete manifest.dependencies;
  writeFileSync(join(to, 'package.json'), `${JSON.stringify(manifest, null, 2)}\n`);
  return manifest;
}

/** The licenses of the packages that are in the bundles. */
function notices() {
  const parts = [...bundledInto('cli', 'bundle/app'), ...bundledInto('console', 'dist')].map((folder) => {
    const manifest = read(join(folder, 'package.json'));
    const file = readdirSync(join(root, folder)).find((name) => /^(licen[sc]e|copying)/i.test(name));
    const text = file === undefined ? '' : `\n${readFileSync(join(root, folder, file), 'utf8').trim()}\n`;
    return `${manifest.name} ${manifest.version} (${manifest.license})\n${text}`;
  });
  return ['Verbalis contains these packages.\n', ...new Set(parts)].join(`\n${'-'.repeat(72)}\n\n`);
}

function bundledInto(name, folder) {
  const list = join(root, 'packages', name, folder, '.packages.json');
  if (!existsSync(list)) ended(`${list} is missing. Run: npm run build`);
  return JSON.parse(readFileSync(list, 'utf8'));
}

const stage = join(out, '.stage');
const whole = join(stage, 'verbalis');
const dependencies = {};
for (const name of INSIDE) dependencies[copyPackage(name, join(whole, 'node_modules/@verbalis', name), true).name] = version;
// Both are bundles: what they are made from is in them, except for this.
for (const name of OUTSIDE) dependencies[name] = read('packages/service/package.json').dependencies[name];
writeFileSync(join(whole, 'THIRD-PARTY.txt'), notices());
mkdirSync(join(whole, 'bin'), { recursive: true });
writeFileSync(
  join(whole, 'bin/verbalis.js'),
  "#!/usr/bin/env node\nimport { main } from '@verbalis/cli';\n\nprocess.exitCode = await main(process.argv.slice(2));\n",
);
chmodSync(join(whole, 'bin/verbalis.js'), 0o755);
for (const file of ['README.md', 'CHANGELOG.md', 'LICENSE']) cpSync(join(root, file), join(whole, file));
cpSync(join(root, 'packaging'), join(whole, 'packaging'), { recursive: true });
writeFileSync(
  join(whole, 'package.json'),
  `${JSON.stringify(
    {
      name: 'verbalis',
      version,
      description,
      license,
      type: 'module',
      engines,
      bugs,
      bin: { verbalis: 'bin/verbalis.js' },
      files: ['bin', 'packaging', 'CHANGELOG.md', 'THIRD-PARTY.txt'],
      dependencies: Object.fromEntries(Object.entries(dependencies).sort()),
      bundleDependencies: INSIDE.map((name) => `@verbalis/${name}`),
    },
    null,
    2,
  )}\n`,
);
const files = pack(whole);
for (const wanted of [
  'bin/verbalis.js',
  'THIRD-PARTY.txt',
  'node_modules/@verbalis/cli/drizzle/0000_tables.sql',
  'node_modules/@verbalis/console/dist/index.html',
  'node_modules/@verbalis/cli/bundle/app/main.js',
  'node_modules/@verbalis/cli/starter/mail.yaml',
  'node_modules/@verbalis/cli/demo/verbalis.yaml',
])
  if (!files.includes(wanted)) ended(`The package "verbalis" lacks ${wanted}.`);
for (const name of OWN) {
  const folder = join(stage, name);
  copyPackage(name, folder, false);
  const packed = pack(folder);
  if (!packed.includes('dist/index.js') && !packed.some((path) => /^dist\/[a-z-]+\/index\.js$/.test(path)))
    ended(`The package of packages/${name} has no code in it.`);
}
rmSync(stage, { recursive: true });

const sbom = spawnSync('npm', ['sbom', '--sbom-format', 'cyclonedx', '--package-lock-only', '--omit', 'dev'], {
  cwd: root,
  encoding: 'utf8',
  maxBuffer: 64 * 1024 * 1024,
});
if (sbom.status !== 0) ended(`The bill of materials could not be made:\n${sbom.stderr}`);
writeFileSync(join(out, `verbalis-${version}.cdx.json`), sbom.stdout);

const sums = readdirSync(out)
  .sort()
  .map(
    (name) =>
      `${createHash('sha256')
        .update(readFileSync(join(out, name)))
        .digest('hex')}  ${name}`,
  );
writeFileSync(join(out, 'SHA256SUMS'), `${sums.join('\n')}\n`);
console.log(sums.join('\n'));
