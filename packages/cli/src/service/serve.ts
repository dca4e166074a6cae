import { startNode, startService, type Node, type Service, type StartOptions } from '@verbalis/service';
import { readConfig, type ReadConfig } from '@verbalis/service/settings';
import { findingLines } from '../doctor/findings.js';
import { UsageError, type ExitCode, type Output } from '../output.js';
import { errorText, reloadText } from './configuration.js';
import { end, interruption } from './ending.js';
import { versionOf } from './version.js';

const MOST_WORKERS = 64;

export interface ServeOptions {
  readonly config?: string;
  readonly json?: boolean;
  readonly workers?: string;
  readonly signInLink?: boolean;
  readonly endsWithStdin?: boolean;
}

/** What is still to be done, where something is. */
async function showFirstSteps(service: Service, output: Output): Promise<void> {
  const open = (await service.examine()).filter(({ level }) => level !== 'good');
  if (open.length === 0) return;
  output.note(['', 'Still to be done (verbalis doctor shows it again):', ...findingLines(open, output.color)].join('\n'));
}

const PARTS: Readonly<Record<ReturnType<Node['role']>, string>> = {
  primary: 'the primary',
  standby: 'a standby',
  starting: 'starting',
  drained: 'drained',
};

/** Runs a node of a cluster until it is interrupted, or cannot go on. */
async function serveNode(options: ServeOptions, starting: StartOptions, output: Output): Promise<ExitCode> {
  const interrupted = interruption(options);
  const changed = (role: ReturnType<Node['role']>): void => {
    if (options.json !== true) output.note(`This node is ${PARTS[role]}.`);
  };
  const node = await startNode({ ...starting, version: versionOf(), changed });
  const { name, url } = node;
  output.line(
    { url, node: name, role: node.role() },
    [`Verbalis listens at ${url}`, `Node ${name}: ${PARTS[node.role()]}. End with Ctrl+C.`].join('\n'),
  );
  const why = await Promise.race([interrupted, node.failed]);
  if (why !== 'interrupted') output.note(why);
  await end(node, options, output);
  return why === 'interrupted' ? 0 : 1;
}

/** Runs the service until it is interrupted to end (SIGINT, SIGTERM). */
export async function serve(options: ServeOptions, output: Output): Promise<ExitCode> {
  const workers = Number(options.workers ?? 1);
  if (!Number.isInteger(workers) || workers < 1 || workers > MOST_WORKERS)
    throw new UsageError(`"${options.workers ?? ''}" is not a number of workers.`, `From 1 to ${MOST_WORKERS}.`);
  const reread = (): ReadConfig => readConfig(options.config, process.env);
  const config = reread();
  const operatorSecret = process.env['VERBALIS_OPERATOR_SECRET'];
  const failed = (error: unknown): void => {
    output.note(`Neither the new configuration nor the old one could be opened: ${error instanceof Error ? error.message : String(error)}`);
    process.exit(1);
  };
  const starting: StartOptions = { config, reread, failed, workers, operatorSecret };
  if (config.settings.cluster.servers.length > 0) return serveNode(options, starting, output);
  const service = await startService(starting);
  // On a hang-up signal the configuration is read again; it ends nothing.
  process.on('SIGHUP', () => {
    service.reload().then(
      (changes) => output.note(reloadText(changes)),
      (error: unknown) => output.note(errorText(error)),
    );
  });
  const { url, linksPort, metricsPort, returnsPort, submissionPort, submissionTlsPort } = service;
  // A reader of the log must not be able to sign in with it.
  const isShown = options.signInLink === true || (options.json !== true && process.stdout.isTTY);
  const signInUrl = isShown ? await service.signInLink() : undefined;
  // A process that reads this line may send a signal immediately, so signals are handled before it is printed.
  const interrupted = interruption(options);
  const addresses = { url, signInUrl, linksPort, metricsPort, returnsPort, submissionPort, submissionTlsPort };
  output.line(
    addresses,
    [
      `Verbalis listens at ${url}`,
      signInUrl === undefined
        ? `Console: ${url} (a link that signs you in: verbalis console link)`
        : `Console (this link opens it once, within 15 minutes): ${signInUrl}`,
      ...(linksPort === undefined ? [] : [`Links of emails (/go/ and /image/) on port ${linksPort}.`]),
      `Returns by SMTP on port ${returnsPort}. End with Ctrl+C.`,
    ].join('\n'),
  );
  if (options.json !== true) await showFirstSteps(service, output);
  await interrupted;
  await end(service, options, output);
  return 0;
}
