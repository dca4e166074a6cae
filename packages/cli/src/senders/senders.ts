import type { Client, SenderView } from '@verbalis/client';
import { tableText, type ExitCode, type Output } from '../output.js';

interface Shown {
  readonly json?: boolean;
}

const STANDING: Readonly<Record<SenderView['standing'], string>> = {
  configured: 'its domain is configured',
  'own-domain': 'its domain was added',
  confirmed: 'confirmed',
  waiting: 'waits for its owner',
  unknown: 'not confirmed',
};

const FROM: Readonly<Record<SenderView['from'], string>> = {
  configuration: 'verbalis.yaml',
  'mail-folder': 'mail folder',
  added: 'added',
};

/** The outcome of the email that asks an owner. */
function askedText({ standing, askedAt, delivery }: SenderView): string {
  if (standing !== 'waiting') return '';
  if (askedAt === undefined) return ', not asked yet';
  return `, asked ${askedAt.slice(0, 10)}${delivery === undefined ? '' : ` (${delivery.state})`}`;
}

function show(sender: SenderView, { json = false }: Shown, output: Output): void {
  if (json) {
    output.json(sender);
    return;
  }
  const { address, name, advice } = sender;
  output.out(`${name === undefined ? address : `${name} <${address}>`}: ${STANDING[sender.standing]}${askedText(sender)}`);
  if (advice !== undefined) output.note(advice);
}

/** Whom a space sends as, and whether it may. */
export async function listSenders(client: Client, { json = false }: Shown, output: Output): Promise<ExitCode> {
  const { senders, domains } = await client.senders.list();
  if (json) {
    output.json({ senders, domains });
    return 0;
  }
  if (senders.length === 0) output.out('No sender yet: set sender in mail.yaml or for the space, or add one: verbalis senders add ADDRESS');
  else {
    const columns = [{ title: 'address' }, { title: 'name' }, { title: 'from' }, { title: 'usable' }, { title: '' }];
    const rows = senders.map((sender) => [
      sender.address,
      sender.name ?? '',
      `${FROM[sender.from]}${sender.template === undefined ? '' : `, ${sender.template}`}`,
      sender.usable ? 'yes' : output.color.red('no'),
      `${STANDING[sender.standing]}${askedText(sender)}`,
    ]);
    output.out(tableText(columns, rows, output.color));
  }
  if (domains.length > 0) output.note(`Messages may name any address at ${domains.join(', ')}.`);
  for (const { advice } of senders) if (advice !== undefined) output.note(advice);
  return 0;
}

/** Adds an address. Where its domain is not one's own, its owner is asked. */
export async function addSender(
  client: Client,
  address: string,
  options: Shown & { readonly name?: string },
  output: Output,
): Promise<ExitCode> {
  const { name } = options;
  const sender = await client.senders.add({ address, ...(name === undefined ? {} : { name }) });
  show(sender, options, output);
  if (sender.standing === 'waiting' && options.json !== true)
    output.note(
      `An email went to ${sender.address}; the space may send as it once its owner has agreed on the page that the email links to.`,
    );
  return 0;
}

export async function renameSender(
  client: Client,
  address: string,
  options: Shown & { readonly name: string },
  output: Output,
): Promise<ExitCode> {
  show(await client.senders.change(address, { name: options.name }), options, output);
  return 0;
}

/** Sends the email that asks the owner of an address again. */
export async function askSender(client: Client, address: string, options: Shown, output: Output): Promise<ExitCode> {
  show(await client.senders.ask(address), options, output);
  return 0;
}

export async function removeSender(client: Client, address: string, output: Output): Promise<ExitCode> {
  await client.senders.remove(address);
  output.result({ removed: address }, `${address} removed. What was accepted already is still sent.`);
  return 0;
}
