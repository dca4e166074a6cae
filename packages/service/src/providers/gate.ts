/** Runs at most so many at once; the rest wait their turn. A place that gets free goes to who waits, so there are never more. */
export function gate(most: number): <T>(run: () => Promise<T>) => Promise<T> {
  const waiting: (() => void)[] = [];
  let used = 0;
  return async (run) => {
    if (used >= most) await new Promise<void>((resolve) => waiting.push(resolve));
    else used += 1;
    try {
      return await run();
    } finally {
      const next = waiting.shift();
      if (next === undefined) used -= 1;
      else next();
    }
  };
}
