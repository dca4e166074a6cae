/**
 * Lets callers through one by one, each in a turn of the event loop of its own: what is computed for long does not keep waiting what has come in
 * from sockets meanwhile.
 */
export function turns(): () => Promise<void> {
  const waiting: (() => void)[] = [];
  const next = (): void => {
    waiting.shift()?.();
    if (waiting.length > 0) setImmediate(next);
  };
  return () =>
    new Promise((resolve) => {
      waiting.push(resolve);
      if (waiting.length === 1) setImmediate(next);
    });
}
