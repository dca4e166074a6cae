import { spawnSync } from 'node:child_process';
import { chmodSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';

export interface Certificates {
  readonly caFile: string;
  readonly keyFile: string;
  readonly certFile: string;
  /** SHA-256 of the server's certificate. */
  readonly fingerprint: string;
}

function openssl(...args: string[]): string {
  const { status, stdout, stderr } = spawnSync('openssl', args, { encoding: 'utf8' });
  if (status !== 0) throw new Error(`openssl ${args[0] ?? ''}: ${stderr}`);
  return stdout;
}

/** A CA of the test's own, and a certificate of it for a name. */
export function makeCertificates(folder: string, name: string): Certificates {
  const path = (file: string): string => join(folder, file);
  writeFileSync(path('names.cnf'), `subjectAltName=DNS:${name}\n`);
  openssl(
    'req',
    '-x509',
    '-newkey',
    'ec',
    '-pkeyopt',
    'ec_paramgen_curve:prime256v1',
    '-nodes',
    '-days',
    '2',
    '-subj',
    '/CN=Test CA',
    '-keyout',
    path('ca.key'),
    '-out',
    path('ca.pem'),
  );
  openssl(
    'req',
    '-newkey',
    'ec',
    '-pkeyopt',
    'ec_paramgen_curve:prime256v1',
    '-nodes',
    '-subj',
    `/CN=${name}`,
    '-keyout',
    path('server.key'),
    '-out',
    path('server.csr'),
  );
  openssl(
    'x509',
    '-req',
    '-days',
    '2',
    '-in',
    path('server.csr'),
    '-CA',
    path('ca.pem'),
    '-CAkey',
    path('ca.key'),
    '-CAcreateserial',
    '-extfile',
    path('names.cnf'),
    '-out',
    path('server.pem'),
  );
  for (const file of ['ca.pem', 'server.pem', 'server.key']) chmodSync(path(file), 0o644);
  const fingerprint = openssl('x509', '-in', path('server.pem'), '-noout', '-fingerprint', '-sha256').trim().split('=')[1] ?? '';
  return { caFile: path('ca.pem'), keyFile: path('server.key'), certFile: path('server.pem'), fingerprint };
}

/** A certificate of a name that signs itself and has expired in 2020. */
export function makeExpired(folder: string, name: string): { readonly keyFile: string; readonly certFile: string } {
  const path = (file: string): string => join(folder, file);
  writeFileSync(path('expired.index'), '');
  writeFileSync(
    path('expired.cnf'),
    `[ca]
default_ca = own
[own]
database = ${path('expired.index')}
new_certs_dir = ${folder}
rand_serial = yes
default_md = sha256
policy = any
x509_extensions = names
[any]
commonName = supplied
[names]
subjectAltName = DNS:${name}
`,
  );
  const ec = ['-newkey', 'ec', '-pkeyopt', 'ec_paramgen_curve:prime256v1', '-nodes'];
  openssl('req', ...ec, '-subj', `/CN=${name}`, '-keyout', path('expired.key'), '-out', path('expired.csr'));
  const dates = ['-startdate', '20200101000000Z', '-enddate', '20200201000000Z'];
  const files = ['-config', path('expired.cnf'), '-keyfile', path('expired.key'), '-in', path('expired.csr'), '-out', path('expired.pem')];
  openssl('ca', '-batch', '-selfsign', '-notext', ...dates, ...files);
  return { keyFile: path('expired.key'), certFile: path('expired.pem') };
}
