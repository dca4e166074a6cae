// Installs from Debian what the tests drive for real. A step beside others: it prints when it has ended.
import { spawnSync } from 'node:child_process';
import { existsSync } from 'node:fs';
import { run } from './steps.mjs';

// Packages, each with a file that shows that it is there.
const DEBIAN = [
  ['chromium-headless-shell', '/usr/bin/chromium-headless-shell'],
  ['w3m', '/usr/bin/w3m'],
  ['fonts-liberation', '/usr/share/fonts/truetype/liberation'],
  ['fonts-noto-core', '/usr/share/fonts/truetype/noto'],
  ['fonts-noto-cjk', '/usr/share/fonts/opentype/noto'],
  ['fonts-noto-color-emoji', '/usr/share/fonts/truetype/noto/NotoColorEmoji.ttf'],
  ['postfix', '/usr/sbin/postfix'],
  ['python3', '/usr/bin/python3'],
  ['python3-dkim', '/usr/bin/dkimverify'],
  ['python3-nacl', '/usr/lib/python3/dist-packages/nacl'],
  ['python3-spf', '/usr/lib/python3/dist-packages/spf.py'],
  ['nsd', '/usr/sbin/nsd'],
  ['unbound', '/usr/sbin/unbound'],
  ['bind9-utils', '/usr/bin/named-checkzone'],
  ['knot-dnssecutils', '/usr/bin/kzonecheck'],
  ['opendkim', '/usr/sbin/opendkim'],
  ['libmail-dkim-perl', '/usr/share/perl5/Mail/DKIM.pm'],
  ['libsasl2-modules', '/usr/lib/x86_64-linux-gnu/sasl2/libplain.so'],
  ['sasl2-bin', '/usr/sbin/saslpasswd2'],
  ['swaks', '/usr/bin/swaks'],
  ['mutt', '/usr/bin/mutt'],
  ['nginx-light', '/usr/sbin/nginx'],
  ['nats-server', '/usr/sbin/nats-server'],
  ['systemd', '/usr/bin/systemd-analyze'],
  ['zsh', '/usr/bin/zsh'],
  ['fish', '/usr/bin/fish'],
  ['ruby', '/usr/bin/ruby'],
  ['golang-go', '/usr/bin/go'],
  ['php-cli', '/usr/bin/php'],
  ['curl', '/usr/bin/curl'],
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
