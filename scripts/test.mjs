// npm test: installs what the tests need, then runs everything that must be right: see verify.mjs.
import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, readdirSync } from 'node:fs';
import { ensurePackages, run } from './steps.mjs';

// Debian packages that tests drive for real, each with a file that shows that it is there.
const DEBIAN = [
  ['chromium', '/usr/bin/chromium'],
  ['fonts-liberation', '/usr/share/fonts/truetype/liberation'],
  ['fonts-noto-core', '/usr/share/fonts/truetype/noto'],
  ['fonts-noto-cjk', '/usr/share/fonts/opentype/noto'],
  ['fonts-noto-color-emoji', '/usr/share/fonts/truetype/noto/NotoColorEmoji.ttf'],
  ['postfix', '/usr/sbin/postfix'],
  ['python3', '/usr/bin/python3'],
  ['python3-dkim', '/usr/bin/dkimverify'],
  ['python3-nacl', '/usr/lib/python3/dist-packages/nacl'],
  ['opendkim', '/usr/sbin/opendkim'],
  ['libsasl2-modules', '/usr/lib/x86_64-linux-gnu/sasl2/libplain.so'],
  ['sasl2-bin', '/usr/sbin/saslpasswd2'],
  ['swaks', '/usr/bin/swaks'],
  ['ruby', '/usr/bin/ruby'],
  ['golang-go', '/usr/bin/go'],
  ['openssl', '/usr/bin/openssl'],
  ['libidn12', '/usr/lib/x86_64-linux-gnu/libidn.so.12'],
];

const missing = DEBIAN.filter(([, file]) => !existsSync(file)).map(([name]) => name);
if (missing.length > 0 && existsSync('/etc/debian_version')) {
  const sudo = process.getuid() === 0 ? [] : ['sudo'];
  const apt = (...args) => {
    const [command, ...rest] = [...sudo, 'env', 'DEBIAN_FRONTEND=noninteractive', 'apt-get', ...args];
    run(`apt-get ${args.join(' ')}`, command, rest);
  };
  apt('update', '-qq');
  apt('install', '-y', '-qq', '--no-install-recommends', ...missing);
  // The tests start a Postfix of their own; Debian's must not hold the ports.
  spawnSync('postfix', ['stop'], { stdio: 'ignore' });
} else if (missing.length > 0) {
  console.error(
    `\n!! These are missing and not installed here (no Debian): ${missing.join(', ')}. The tests that need them are SKIPPED.\n`,
  );
}
ensurePackages();
// A second mail server; it cannot be installed beside the first, so its files are unpacked.
const exim = 'node_modules/.cache/exim';
if (!existsSync(`${exim}/usr/sbin/exim4`) && existsSync('/etc/debian_version')) {
  mkdirSync(exim, { recursive: true });
  run('Fetch Exim', 'apt-get', ['download', '-qq', 'exim4-daemon-light'], { cwd: exim });
  const [file] = readdirSync(exim).filter((name) => name.endsWith('.deb'));
  run('Unpack Exim', 'dpkg', ['-x', file, '.'], { cwd: exim });
}
run('Verify', process.execPath, ['scripts/verify.mjs', ...process.argv.slice(2)]);
