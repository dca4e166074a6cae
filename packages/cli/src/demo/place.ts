import { cpSync, existsSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:net';
import { join } from 'node:path';
import { StartError } from '@verbalis/service';
import { lockFile } from '@verbalis/service/kernel';
import { UsageError } from '../output.js';

/** The ports of the demo as its files name them: the first, and how many there are. */
const [FIRST, COUNT] = [8620, 13];
/** Says that a folder was made by the demo. */
const MARKER = '.verbalis-demo';
/** What the demo and the service write into its folder. */
const OWN =
  /^(?:\.verbalis-demo|verbalis\.(?:sqlite|secrets).*|day-keys|files|(?:north-relay|south-relay|packet-api|harbour-box|chat)\.json)$/;

/** Where one demo has its files and its ports. */
export interface DemoPlace {
  readonly dir: string;
  /** The configuration and the mail folder, with the ports of this demo. */
  readonly files: string;
}

/** The port of a demo that begins at another one, in place of one that its files name. */
export function moved(named: number, first = FIRST): number {
  return named >= FIRST && named < FIRST + COUNT ? named - FIRST + first : named;
}

/** What a demo that runs has in its folder is not touched. @throws UsageError */
function refuseRunning(dir: string): void {
  try {
    lockFile(join(dir, 'verbalis.sqlite')).release();
  } catch (error) {
    if (!(error instanceof StartError)) throw error;
    throw new UsageError(
      `A demo is running in ${dir}.`,
      'End it, or give this one another folder: verbalis demo --dir FOLDER --port 18620',
    );
  }
}

/**
 * Prepares the folder of a demo. What an earlier demo made there is removed, and nothing else.
 * @param keeps whether what an earlier demo made stays, to go on with it
 * @throws UsageError where the folder has other files, or there is nothing to go on with
 */
export function preparePlace(
  source: string,
  { dir, first = FIRST, keeps }: { readonly dir: string; readonly first?: number | undefined; readonly keeps: boolean },
): DemoPlace {
  const isThere = existsSync(join(dir, MARKER));
  const others = existsSync(dir) ? readdirSync(dir).filter((name) => !OWN.test(name)) : [];
  if (!isThere && existsSync(dir) && readdirSync(dir).length > 0)
    throw new UsageError(
      `The folder ${dir} has files that no demo has made${others.length === 0 ? '' : `, such as "${others[0] ?? ''}"`}.`,
      'Name an empty folder, or one that is not there yet: verbalis demo --dir FOLDER',
    );
  if (isThere) refuseRunning(dir);
  if (keeps && !isThere) throw new UsageError(`There is no earlier demo in ${dir}.`, 'Start one: verbalis demo');
  if (!keeps && isThere) for (const name of readdirSync(dir)) if (OWN.test(name)) rmSync(join(dir, name), { recursive: true });
  mkdirSync(dir, { recursive: true });
  writeFileSync(join(dir, MARKER), 'Made by "verbalis demo", which removes what it made here when it starts again.\n');
  if (first === FIRST) return { dir, files: source };
  const files = join(dir, 'files');
  rmSync(files, { recursive: true, force: true });
  cpSync(source, files, { recursive: true });
  for (const name of readdirSync(files, { recursive: true, encoding: 'utf8' }))
    if (name.endsWith('.yaml')) {
      const file = join(files, name);
      // The numbers of its ports stand for nothing else in these files.
      writeFileSync(
        file,
        readFileSync(file, 'utf8').replace(/\b86[23]\d\b/g, (named) => String(moved(Number(named), first))),
      );
    }
  return { dir, files };
}

function isFree(port: number): Promise<boolean> {
  return new Promise((done) => {
    const server = createServer();
    server.once('error', () => done(false));
    server.listen(port, '127.0.0.1', () => server.close(() => done(true)));
  });
}

/** Looks at all ports before anything is started. @throws UsageError that names those that are in use */
export async function refuseTaken(ports: readonly number[]): Promise<void> {
  const taken: number[] = [];
  for (const n of [...new Set(ports)].sort((a, b) => a - b)) if (!(await isFree(n))) taken.push(n);
  if (taken.length === 0) return;
  throw new UsageError(
    `${taken.length === 1 ? 'The port' : 'The ports'} ${taken.join(', ')} ${taken.length === 1 ? 'is' : 'are'} in use.`,
    `End what uses ${taken.length === 1 ? 'it' : 'them'} (another demo?), or let this one have others: verbalis demo --port 18620`,
  );
}
