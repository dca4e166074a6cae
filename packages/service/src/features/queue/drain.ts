import type { Logger } from 'pino';

/** How long what is under way is waited for once the service is to stop, and how often the wait is logged. In milliseconds. */
export const DRAIN_MS = 30_000;
const LOG_MS = 5000;

/** Waits for emails whose content may have left, but not longer than the drain time; counts down in the log. */
export async function drain(left: () => readonly Promise<void>[], log: Logger): Promise<void> {
  const end = performance.now() + DRAIN_MS;
  for (let works = left(); works.length > 0 && performance.now() < end; works = left()) {
    let timer: NodeJS.Timeout | undefined;
    const tick = new Promise((done) => (timer = setTimeout(done, Math.min(LOG_MS, end - performance.now()))));
    await Promise.race([Promise.all(works), tick]);
    clearTimeout(timer);
    const underWay = left().length;
    const seconds = Math.max(0, Math.ceil((end - performance.now()) / 1000));
    if (underWay > 0) log.info({ underWay, seconds }, 'waiting for emails that are being handed over');
  }
}
