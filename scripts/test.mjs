// npm test: installs what the tests need, then runs everything that must be right: see verify.mjs.
import { spawnSync } from 'node:child_process';
import { existsSync } from 'node:fs';
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
run('Verify', process.execPath, ['scripts/verify.mjs', ...process.argv.slice(2)]);
