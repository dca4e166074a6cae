import type { Client, ConsentView, TopicView } from '@verbalis/client';
import { tableText, type ExitCode, type Output } from '../output.js';
import { clockTime } from '../words.js';

interface Shown {
  readonly json?: boolean;
}

/** What becomes known of what recipients do, in a few words. */
function trackingText(tracking: TopicView['tracking']): string {
  if (tracking === undefined) return 'none';
  const what = [tracking.clicks ? 'links' : '', tracking.opens ? 'images' : ''].filter((word) => word !== '').join(', ');
  return what === '' ? 'none' : `${what} (${tracking.mode})`;
}

function show({ topics, history, ...consent }: ConsentView, { json = false }: Shown, output: Output): void {
  if (json) {
    output.json({ ...consent, topics, history });
    return;
  }
  if (topics.length === 0) output.out('The mail folder names no topics.');
  else
    output.out(
      tableText(
        [{ title: 'topic' }, { title: 'purpose' }, { title: 'wanted' }, { title: '' }],
        topics.map(({ topic, purpose, wanted, why = '' }) => [topic, purpose, wanted ? 'yes' : output.color.red('no'), why]),
        output.color,
      ),
    );
  if (history.length === 0) return;
  output.out('');
  output.out(
    tableText(
      [{ title: 'at' }, { title: 'what' }, { title: 'topic' }, { title: 'how' }, { title: 'source' }],
      history.map(({ at, until, kind, topic, how, source = '' }) => [
        clockTime(at),
        until === undefined ? kind : `${kind} until ${until.slice(0, 10)}`,
        topic,
        how,
        source,
      ]),
      output.color,
    ),
  );
}

/** Topics of the mail folder in use, and how many have left them. */
export async function listTopics(client: Client, { json = false }: Shown, output: Output): Promise<ExitCode> {
  const { topics, canLeave } = await client.consents.topics();
  if (json) {
    output.json({ topics, canLeave });
    return 0;
  }
  if (topics.length === 0) output.out('The mail folder names no topics.');
  else
    output.out(
      tableText(
        [
          { title: 'topic' },
          { title: 'label' },
          { title: 'purpose' },
          { title: 'tracking' },
          { title: 'left', right: true },
          { title: 'templates' },
        ],
        topics.map(({ topic, label, purpose, tracking, left, templates }) => [
          topic,
          label,
          purpose,
          trackingText(tracking),
          String(left),
          templates.join(', '),
        ]),
        output.color,
      ),
    );
  if (!canLeave && topics.some(({ purpose }) => purpose === 'optional'))
    output.note('Set publicUrl in verbalis.yaml: email of optional topics is refused until recipients can reach the service.');
  return 0;
}

/** Which topics an address wants, and how that came about. */
export async function showConsent(client: Client, address: string, options: Shown, output: Output): Promise<ExitCode> {
  show(await client.consents.get({ address }), options, output);
  return 0;
}

interface ChangeOptions {
  readonly source: string;
  readonly at?: string;
  readonly until?: string;
  readonly confirm?: boolean;
  readonly locale?: string;
}

/** An address leaves a topic or joins it again. */
export async function changeConsent(
  client: Client,
  { address, topic, kind }: { readonly address: string; readonly topic: string; readonly kind: 'left' | 'rejoined' },
  { source, at, until, confirm, locale, ...shown }: Shown & ChangeOptions,
  output: Output,
): Promise<ExitCode> {
  const more = {
    ...(at === undefined ? {} : { at }),
    ...(until === undefined ? {} : { until }),
    ...(confirm === undefined ? {} : { confirm }),
    ...(locale === undefined ? {} : { locale }),
  };
  const found = await client.consents.add({ address, topic, kind, source, ...more });
  show(found, shown, output);
  if (found.asked !== undefined && shown.json !== true)
    output.note(
      `An email went to ${address} (${found.asked.messageId}); it joins when its owner confirms, until ${found.asked.until.slice(0, 10)}.`,
    );
  return 0;
}
