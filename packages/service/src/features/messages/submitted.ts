import { didYouMean } from '@verbalis/core/problems';
import { fieldText, type HeaderField } from '@verbalis/core/mime';
import { Refusal, type CallerKey } from '../../kernel/index.js';

/** An email that an app has handed in as a whole, as far as its bytes tell. */
export interface SubmittedMail {
  readonly fields: readonly HeaderField[];
  /** What is changed before it is signed, each in a sentence without a full stop. */
  readonly repairs: readonly string[];
  /** It as it can travel, where that is not as it came. */
  readonly repaired: Uint8Array | undefined;
  /** Why it cannot be sent, in a sentence that goes on after "It". */
  readonly fault: string | undefined;
}

/** How an email came in as a whole. */
export interface Submission extends SubmittedMail {
  readonly to: readonly string[];
  readonly bytes: Uint8Array;
  /** Whether its envelope had the null sender: nobody is to be written to about it (RFC 5321 4.5.5). */
  readonly isFromNobody: boolean;
  /** For its Received field. */
  readonly trace: { readonly from: string; readonly by: string; readonly protocol: string };
  /** The key with which it was submitted. */
  readonly key?: CallerKey | undefined;
}

/** What the app says of the message in fields of ours, which are removed before it is sent. */
export interface SubmittedLabels {
  readonly topic: string | undefined;
  readonly template: string | undefined;
  readonly reference: string | undefined;
  readonly labels: Readonly<Record<string, string>>;
}

const OWN = 'verbalis-';
const NAMES = ['Verbalis-Topic', 'Verbalis-Template', 'Verbalis-Reference', 'Verbalis-Labels'] as const;
type OwnName = (typeof NAMES)[number];

/** Whether a field is one of ours, which no recipient sees. */
export function isOwnField(name: string): boolean {
  return name.toLowerCase().startsWith(OWN);
}

function refuse(detail: string, hint?: string): never {
  throw new Refusal(422, 'wrong-field', 'A field of the email is not valid', { detail, hint });
}

/** What an app that knows only SMTP says of its message. @param topics those of the edition in use @throws Refusal */
export function labelsOf(fields: readonly HeaderField[], topics: readonly string[]): SubmittedLabels {
  const values = new Map<OwnName, string>();
  for (const { name, raw } of fields) {
    if (!isOwnField(name)) continue;
    const known = NAMES.find((own) => own.toLowerCase() === name);
    if (known === undefined) return refuse(`It has the field "${name}", which is not one of ${NAMES.join(', ')}.`, didYouMean(name, NAMES));
    if (values.has(known)) refuse(`It has the field ${known} twice.`);
    values.set(known, fieldText(raw));
  }
  const short = (name: OwnName, most: number): string | undefined => {
    const value = values.get(name);
    if (value === undefined || value === '') return undefined;
    if (value.length > most || /[\u0000-\u001F\u007F]/.test(value))
      refuse(`Its field ${name} must be one line of at most ${most} characters.`);
    return value;
  };
  const topic = short('Verbalis-Topic', 100);
  if (topic !== undefined && !topics.includes(topic)) refuse(`There is no topic "${topic}".`, didYouMean(topic, topics));
  return {
    topic,
    template: short('Verbalis-Template', 100),
    reference: short('Verbalis-Reference', 200),
    labels: readLabels(values.get('Verbalis-Labels') ?? ''),
  };
}

/** "season=summer, route=north": names and values as the API bounds them. */
function readLabels(text: string): Record<string, string> {
  const labels = text
    .split(',')
    .map((piece) => piece.trim())
    .filter((piece) => piece !== '')
    .map((piece): [string, string] => {
      const at = piece.indexOf('=');
      const [name, value] = [piece.slice(0, at).trim(), piece.slice(at + 1).trim()];
      if (at <= 0 || name === '' || name.length > 60 || value.length > 200)
        refuse(`Its field Verbalis-Labels has "${piece.slice(0, 80)}", which is not name=value.`, 'Write: season=summer, route=north');
      return [name, value];
    });
  return Object.fromEntries(labels);
}
