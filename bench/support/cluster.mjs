// A cluster on this machine: three brokers, and nodes with their configuration.
import { spawn, spawnSync } from 'node:child_process';
import { copyFileSync, mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { folder, freePort, root, started } from './processes.mjs';

export const OPERATOR = 'operator-of-the-benchmark';
const CLI = join(root, 'packages/cli/bin/verbalis.js');
const env = { VERBALIS_OPERATOR_SECRET: OPERATOR };

async function startBrokers() {
  const path = folder();
  const [ports, routes] = [[], []];
  for (let n = 0; n < 3; n += 1) {
    ports.push(await freePort());
    routes.push(await freePort());
  }
  const children = ports.map((port, n) => {
    mkdirSync(join(path, String(n)));
    const all = routes.map((route) => `nats://127.0.0.1:${route}`).join(', ');
    writeFileSync(
      join(path, `${n}.conf`),
      `server_name: broker-${n}\nlisten: "127.0.0.1:${port}"\njetstream { store_dir: "${join(path, String(n))}" }\ncluster { name: bench, listen: "127.0.0.1:${routes[n]}", routes: [${all}] }\n`,
    );
    return spawn('nats-server', ['-c', join(path, `${n}.conf`), '-l', join(path, `${n}.log`)], { stdio: 'ignore' });
  });
  return {
    servers: ports.map((port) => `127.0.0.1:${port}`),
    pids: children.map(({ pid }) => pid),
    stop: () => children.forEach((one) => one.kill('SIGKILL')),
  };
}

/**
 * @param settings the rest of the configuration, as YAML
 * @param prepare makes the database in a folder that the cluster begins with
 */
export async function startCluster(settings, prepare = async () => undefined) {
  const brokers = await startBrokers();
  const path = folder();
  const names = ['a', 'b', 'worker'];
  for (const name of names) {
    mkdirSync(join(path, name));
    writeFileSync(
      join(path, name, 'verbalis.yaml'),
      `listen: { port: 0 }\nreturns: { port: 0 }\nlog: { level: error }\ndns: { check: false }\ncluster: { servers: [${brokers.servers.map((one) => `"${one}"`).join(', ')}], node: ${name} }\n${settings}`,
    );
  }
  const config = (name) => join(path, name, 'verbalis.yaml');
  await prepare(join(path, 'a'));
  const made = spawnSync(process.execPath, [CLI, 'cluster', 'init', '--config', config('a')], { env: { ...process.env, ...env } });
  if (made.status !== 0) throw new Error(String(made.stderr));
  for (const name of ['b', 'worker']) copyFileSync(join(path, 'a/verbalis.secrets.json'), join(path, name, 'verbalis.secrets.json'));
  const serve = (name) => started(CLI, ['serve', '--json', '--config', config(name)], env);
  return {
    brokers,
    serve,
    deliver: () => started(CLI, ['deliver', '--json', '--config', config('worker')], env),
  };
}
