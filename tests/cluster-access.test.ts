import { readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { initCluster } from '@verbalis/service';
import { readConfig } from '@verbalis/service/settings';
import { parse, stringify } from 'yaml';
import { startBrokers, type Brokers } from './support/brokers.js';
import { spawnCli } from './support/cli.js';
import { makeMachines } from './support/cluster.js';
import { issueCredentials } from './support/credentials.js';
import { freePort } from './support/postfix.js';
import { makeCertificates, type Certificates } from './support/secure.js';
import { booking, OPERATOR, temporaryFolder, until } from './support/service.js';

// Brokers that let in only those who they know, over TLS on both sides.
const ACCESS = { user: 'verbalis', password: 'a-password-of-the-brokers' };
let folder: ReturnType<typeof temporaryFolder>;
let own: Certificates;
let other: Certificates;
let brokers: Brokers;
beforeAll(async () => {
  folder = temporaryFolder();
  const strangers = temporaryFolder();
  [own, other] = [makeCertificates(folder.path, 'localhost'), makeCertificates(strangers.path, 'localhost')];
  brokers = await startBrokers({
    count: 1,
    more: `tls { cert_file: "${own.certFile}", key_file: "${own.keyFile}", ca_file: "${own.caFile}", verify: true }
authorization { user: ${ACCESS.user}, password: "${ACCESS.password}" }`,
  });
});
afterAll(async () => {
  await brokers.stop();
  folder.remove();
});

const servers = (): string[] => brokers.servers.map((server) => server.replace('127.0.0.1', 'localhost'));
const tlsOf = ({ caFile, certFile, keyFile }: Certificates) => ({ caFile, certFile, keyFile });

test('a cluster works through brokers that ask for a certificate and a password', async () => {
  const made = await makeMachines(brokers, { serversOf: servers, cluster: { ...ACCESS, tls: tlsOf(own) } });
  try {
    const [first, second] = made.machines;
    const primary = await first!.run();
    const standby = await second!.run();
    const { id } = await primary.client.messages.send(booking('asa@post.example'));
    const copy = await until(() => standby.client.messages.get(id).catch(() => undefined));
    expect(copy.id).toBe(id);
    // Neither the file nor the page of the configuration shows the password.
    expect(JSON.stringify(await primary.client.configuration.get())).not.toContain(ACCESS.password);
  } finally {
    await made.remove();
  }
});

test.each([
  ['a wrong password', () => ({ ...ACCESS, password: 'wrong', tls: tlsOf(own) }), /they refuse its user, password or credentials/],
  ['no password', () => ({ tls: tlsOf(own) }), /they refuse its user, password or credentials/],
  [
    'a certificate of another authority',
    () => ({ ...ACCESS, tls: { ...tlsOf(other), caFile: own.caFile } }),
    /none has answered within 5 seconds/,
  ],
  [
    'another authority for the brokers',
    () => ({ ...ACCESS, tls: { ...tlsOf(own), caFile: other.caFile } }),
    /their certificate is not accepted/,
  ],
  ['no certificate', () => ({ ...ACCESS, tls: { caFile: own.caFile } }), /none has answered within 5 seconds/],
])('%s: it says so, with the brokers that were asked', async (_name, access, why) => {
  const file = join(folder.path, 'wrong.yaml');
  writeFileSync(
    file,
    stringify({ databaseFile: join(folder.path, 'wrong.sqlite'), listen: { port: 0 }, cluster: { servers: servers(), ...access() } }),
  );
  const failed = await initCluster({ config: readConfig(file, {}), operatorSecret: OPERATOR }).catch((error: unknown) => error as Error);
  expect(failed).toBeInstanceOf(Error);
  const { message } = failed as Error;
  expect(message).toContain(`No broker of the cluster can be used (${servers().join(', ')})`);
  expect(message).toMatch(why);
  expect(message).not.toContain(ACCESS.password);
});

test('a cluster works through brokers that know it by a credentials file; to another one they say no', async () => {
  const { brokers: more, file, stranger } = issueCredentials();
  const strict = await startBrokers({ count: 1, more });
  writeFileSync(join(folder.path, 'harbour.creds'), file);
  writeFileSync(join(folder.path, 'stranger.creds'), stranger);
  const made = await makeMachines(strict, { cluster: { credentialsFile: join(folder.path, 'harbour.creds') } });
  try {
    const [first, second] = made.machines;
    const primary = await first!.run();
    const standby = await second!.run();
    const { id } = await primary.client.messages.send(booking('asa@post.example'));
    expect((await until(() => standby.client.messages.get(id).catch(() => undefined))).id).toBe(id);
    await expect(makeMachines(strict, { cluster: { credentialsFile: join(folder.path, 'stranger.creds') } })).rejects.toThrow(
      /they refuse its user, password or credentials/,
    );
  } finally {
    await made.remove();
    await strict.stop();
  }
});

test('a file of the configuration that is missing is named', async () => {
  const file = join(folder.path, 'missing.yaml');
  writeFileSync(file, stringify({ listen: { port: 0 }, cluster: { servers: servers(), ...ACCESS, tls: { caFile: 'nowhere.pem' } } }));
  await expect(initCluster({ config: readConfig(file, {}), operatorSecret: OPERATOR })).rejects.toThrow(/nowhere\.pem/);
});

test('on the command line: brokers that are not there, a cluster that is, a worker without its secrets', async () => {
  const { path, remove } = temporaryFolder();
  const config = join(path, 'verbalis.yaml');
  const write = (change: object): void => {
    writeFileSync(config, stringify({ listen: { port: 0 }, returns: { port: 0 }, ...change }));
  };
  try {
    const nobody = `127.0.0.1:${await freePort()}`;
    write({ cluster: { servers: [nobody], replicas: 1 } });
    expect(await spawnCli(['cluster', 'init', '--config', config])).toMatchObject({
      code: 2,
      notes: expect.stringContaining(`No broker of the cluster can be used (${nobody})`),
    });
    write({ cluster: { servers: servers(), ...ACCESS, tls: tlsOf(own), replicas: 1, prefix: 'twice' } });
    expect(await spawnCli(['cluster', 'init', '--config', config])).toMatchObject({ code: 0 });
    expect(await spawnCli(['cluster', 'init', '--config', config])).toMatchObject({ code: 2, notes: expect.stringContaining('twice') });
    expect(parse(readFileSync(config, 'utf8'))).toMatchObject({ cluster: { prefix: 'twice' } });
    rmSync(join(path, 'verbalis.secrets.json'));
    const worker = await spawnCli(['deliver', '--config', config]);
    expect(worker).toMatchObject({ code: 2, notes: expect.stringContaining('verbalis.secrets.json') });
  } finally {
    remove();
  }
});
