/**
 * A line of the queue: deliveries that go out one after another, in turn with those of other lines. A topic's burst delays its own only, and
 * what is kept here never waits for a provider.
 */
export interface Line {
  /** Before all that is not. */
  readonly urgent: boolean;
  readonly space: string;
  /** Whether the space's rules keep these here. */
  readonly kept: boolean;
  readonly topic: string | undefined;
}

/** The name under which a line stands in the records; urgent ones sort first. */
export function lineName({ urgent, space, kept, topic }: Line): string {
  return [urgent ? '0' : '1', space, kept ? 'kept' : '', topic ?? ''].join('/');
}

export function readLine(name: string): Line {
  const [urgent, space = '', kept, ...topic] = name.split('/');
  return {
    urgent: urgent === '0',
    space,
    kept: kept === 'kept',
    topic: topic.length === 0 || topic[0] === '' ? undefined : topic.join('/'),
  };
}
