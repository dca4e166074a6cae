// Mail servers that tests run beside Postfix: Debian installs one at a time, so the files of the others are unpacked.
import { existsSync, mkdirSync, readdirSync } from 'node:fs';
import { run } from './steps.mjs';

for (const [name, debian, program] of [
  ['exim', 'exim4-daemon-light', 'usr/sbin/exim4'],
  ['opensmtpd', 'opensmtpd', 'usr/bin/smtp'],
]) {
  const folder = `node_modules/.cache/${name}`;
  if (existsSync(`${folder}/${program}`) || !existsSync('/etc/debian_version')) continue;
  mkdirSync(folder, { recursive: true });
  run(`Fetch ${debian}`, 'apt-get', ['download', '-qq', debian], { cwd: folder });
  const [file] = readdirSync(folder).filter((entry) => entry.endsWith('.deb'));
  run(`Unpack ${debian}`, 'dpkg', ['-x', file, '.'], { cwd: folder });
}
