import { StartError } from './unavailable.js';

/** Where something listens, and the setting that says so. */
export interface ListenAt {
  readonly host: string;
  readonly port: number;
  /** "listen.port (VERBALIS_LISTEN_PORT)" */
  readonly setting: string;
}

/** Why a port cannot be listened on, for the person who starts the service. */
export function portFault(error: unknown, { host, port, setting }: ListenAt): StartError {
  const { code } = error as NodeJS.ErrnoException;
  if (code === 'EADDRINUSE') return new StartError(`Port ${port} on ${host} is in use. Set another as ${setting}, or stop what uses it.`);
  if (code === 'EACCES')
    return new StartError(`Port ${port} on ${host} may not be used by this user. Set another as ${setting} (1024 or higher).`);
  return new StartError(`Cannot listen on ${host}:${port} (${setting}): ${error instanceof Error ? error.message : String(error)}`);
}
