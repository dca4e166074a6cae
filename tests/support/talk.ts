import { connect, type Socket } from 'node:net';
import { until } from './service.js';

/** A conversation by SMTP: each entry is sent once the one before is answered; the answers' codes, and all that was said. */
export async function talkTo(
  port: number,
  entries: readonly string[],
  { isClosedAfter = false } = {},
): Promise<{ readonly codes: number[]; readonly said: string; readonly isClosed: boolean }> {
  const socket: Socket = connect(port, '127.0.0.1');
  let said = '';
  let isClosed = false;
  socket.on('data', (bytes: Buffer) => (said += bytes.toString()));
  socket.on('close', () => (isClosed = true));
  socket.on('error', () => undefined);
  const answers = (): RegExpMatchArray[] => [...said.matchAll(/^(\d{3}) .*\r\n/gm)];
  let wanted = 1;
  await until(() => (answers().length >= wanted ? true : undefined));
  for (const entry of entries) {
    socket.write(entry);
    wanted += 1;
    await until(() => (isClosed || answers().length >= wanted ? true : undefined));
  }
  // The answer may be here before the end of the connection is.
  if (isClosedAfter) await until(() => (isClosed ? true : undefined));
  socket.destroy();
  return { codes: answers().map(([, code]) => Number(code)), said, isClosed };
}
