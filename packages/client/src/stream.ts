/** One message of a stream of server-sent events. */
export interface StreamEvent {
  readonly id: string | undefined;
  readonly event: string;
  readonly data: unknown;
}

/** Reads server-sent events out of a response, until it ends (HTML Living Standard, 9.2.6). */
export async function* eventsOf(response: Response): AsyncGenerator<StreamEvent> {
  if (response.body === null) return;
  const reader = response.body.pipeThrough(new TextDecoderStream()).getReader();
  let rest = '';
  try {
    for (;;) {
      const { done, value } = await reader.read();
      if (done) return;
      rest += value;
      const blocks = rest.split(/\r?\n\r?\n/);
      rest = blocks.pop() ?? '';
      for (const block of blocks) {
        let id: string | undefined;
        let event = 'message';
        const data: string[] = [];
        for (const line of block.split(/\r?\n/)) {
          const colon = line.includes(':') ? line.indexOf(':') : line.length;
          const name = line.slice(0, colon);
          const text = line.slice(colon + 1).replace(/^ /, '');
          if (name === 'id') id = text;
          else if (name === 'event') event = text;
          else if (name === 'data') data.push(text);
        }
        if (data.length > 0) yield { id, event, data: JSON.parse(data.join('\n')) as unknown };
      }
    }
  } finally {
    void reader.cancel().catch(() => undefined);
  }
}
