import type { Client, Hold } from '@verbalis/client';
import { labelsOf } from '../labels.js';
import { tableText, UsageError, type ExitCode, type Output } from '../output.js';

/** What is meant, as options of a command. */
export interface FilterOptions {
  readonly template?: string;
  readonly edition?: string;
  readonly topic?: string;
  readonly domain?: string;
  readonly label?: readonly string[];
  readonly all?: boolean;
}

type Filter = Omit<Parameters<Client['queue']['cancel']>[0], 'check' | 'hold'>;

/** The filter of a command. @throws UsageError where nothing is meant, or everything and something */
function filterOf({ template, edition, topic, domain, label = [], all }: FilterOptions): Filter {
  const number = edition === undefined ? undefined : Number(edition);
  if (number !== undefined && !(Number.isInteger(number) && number >= 0)) throw new UsageError(`"${edition ?? ''}" is not an edition.`);
  const labels = labelsOf(label);
  const named = [template, number, topic, domain].some((value) => value !== undefined) || label.length > 0;
  if (named === (all === true))
    throw new UsageError(
      named
        ? 'Give --all or a filter, not both.'
        : 'Say what is meant: --template, --edition, --topic, --domain, --label; or --all for everything in the space.',
    );
  const given = { template, edition: number, topic, domain };
  return { ...given, ...(label.length === 0 ? {} : { labels }), ...(all === true ? { all } : {}) };
}

function meantText({ template, edition, topic, domain, labels = {} }: Filter): string {
  const fields = Object.entries({ template, edition, topic, domain }).flatMap(([name, value]) =>
    value === undefined ? [] : [`${name} ${value}`],
  );
  return [...fields, ...Object.entries(labels).map(([name, value]) => `label ${name}=${value}`)].join(', ') || 'everything';
}

const deliveries = (n: number): string => `${n} ${n === 1 ? 'delivery' : 'deliveries'}`;

export async function listHolds(client: Client, { json = false }: { readonly json?: boolean }, output: Output): Promise<ExitCode> {
  const list = await client.holds.list();
  if (json) output.json(list);
  else if (list.holds.length === 0) output.out('Nothing is held.');
  else
    output.out(
      tableText(
        [{ title: 'id' }, { title: 'what' }, { title: 'held', right: true }, { title: 'since' }, { title: 'reason' }],
        list.holds.map((hold: Hold) => [hold.id, meantText(hold), String(hold.held), hold.createdAt, hold.reason ?? '']),
        output.color,
      ),
    );
  return 0;
}

/** Deliveries that are held, and why. */
export async function listHeld(
  client: Client,
  { json = false, hold, limit }: { readonly json?: boolean; readonly hold?: string; readonly limit?: string },
  output: Output,
): Promise<ExitCode> {
  const list = await client.holds.held({ hold, ...(limit === undefined ? {} : { limit: Number(limit) }) });
  if (json) output.json(list);
  else if (list.deliveries.length === 0) output.out('Nothing is held.');
  else {
    output.out(
      tableText(
        [{ title: 'delivery' }, { title: 'to' }, { title: 'template' }, { title: 'due' }, { title: 'why' }],
        list.deliveries.map(({ id, address, template, dueAt, why }) => [id, address, template, dueAt ?? '', why]),
        output.color,
      ),
    );
    output.note('Let them go: verbalis queue release HOLD, or by a filter. Not to be sent: verbalis queue cancel --hold HOLD --all --yes.');
    if (list.nextCursor !== undefined) output.note('There are more: --limit 200');
  }
  return 0;
}

export async function hold(
  client: Client,
  { json = false, reason, ...given }: FilterOptions & { readonly json?: boolean; readonly reason?: string },
  output: Output,
): Promise<ExitCode> {
  const made = await client.holds.add({ ...filterOf(given), reason });
  if (json) output.json(made);
  else {
    output.out(`${deliveries(made.held)} held, and whatever else comes of ${meantText(made)}.`);
    output.note(`Let them go: verbalis queue release ${made.id}`);
  }
  return 0;
}

export async function release(
  client: Client,
  id: string | undefined,
  { json = false, ...given }: FilterOptions & { readonly json?: boolean },
  output: Output,
): Promise<ExitCode> {
  const isNamed = Object.keys(given).length > 0;
  const made = await client.holds.release({ ...(id === undefined ? {} : { id }), ...(id === undefined || isNamed ? filterOf(given) : {}) });
  if (json) output.json(made);
  else
    output.out(
      made.released.length === 0
        ? `${deliveries(made.deliveries)} may go.`
        : `${made.released.length === 1 ? 'The hold is' : `${made.released.length} holds are`} over; ${deliveries(made.deliveries)} may go.`,
    );
  return 0;
}

export async function cancelWaiting(
  client: Client,
  {
    json = false,
    yes = false,
    hold,
    ...given
  }: FilterOptions & { readonly json?: boolean; readonly yes?: boolean; readonly hold?: string },
  output: Output,
): Promise<ExitCode> {
  const meant = filterOf(given);
  const filter = { ...meant, hold };
  if (!yes) {
    const { deliveries: n } = await client.queue.cancel({ ...filter, check: true });
    if (json) output.json({ deliveries: n, canceled: false });
    else
      output.out(
        `${deliveries(n)} of ${meantText(meant)}${hold === undefined ? '' : ` held by ${hold}`} would be canceled. Nothing was: repeat it with --yes.`,
      );
    return 0;
  }
  let n = 0;
  for (let more = true; more;) {
    const part = await client.queue.cancel(filter);
    n += part.deliveries;
    more = part.more;
  }
  if (json) output.json({ deliveries: n, canceled: true });
  else output.out(`${deliveries(n)} canceled.`);
  return 0;
}
