import type { FRONT_KEYS } from '../notation/index.js';

/** What the keys of the front matter are for. */
export const FRONT_WORDS: Readonly<Record<(typeof FRONT_KEYS)[number], string>> = {
  subject: 'the subject line; may hold {{ }}',
  preview: 'the line that inboxes show after the subject; may hold {{ }}',
  topic: 'what the email is about, of the topics in mail.yaml: recipients can leave it',
  layout: 'the frame around it, from layouts/; "none" for none',
  title: 'the title of the HTML page, where it differs from the subject',
  sender: 'the sender, one of the senders in mail.yaml',
  replyTo: 'where answers go',
  styles: 'style sheets of styles/ beside those of mail.yaml',
  summary: 'what it is for, in the lists of the console',
  inputs: 'what a block or a layout takes: the JSON Schema of each input',
  gives: 'what a block gives instead of prose: rows of a ledger, or facts',
  silence: 'codes that `check` leaves out, with the reason of each',
};

/** Directives that steer, with their colons. */
export const STEERING_BLOCKS: readonly { readonly name: string; readonly colons: '::' | ':::'; readonly detail: string }[] = [
  { name: 'if', colons: ':::', detail: 'shows its content where a test is true' },
  { name: 'else-if', colons: ':::', detail: 'divides ":::if": where the tests before are false and this one is true' },
  { name: 'else', colons: ':::', detail: 'divides ":::if": where all tests are false' },
  { name: 'each', colons: ':::', detail: 'repeats its content for the entries of a list, or the fields of a record' },
  { name: 'empty', colons: ':::', detail: 'divides ":::each": where the list has no entries' },
  { name: 'let', colons: '::', detail: 'gives a value a name, in what follows within the same block' },
];

/** Words that steer a paragraph, between braces. */
export const STEERING_WORDS: Readonly<Record<string, string>> = {
  if: '{{ if TEST }} … {{ else }} … {{ end }}',
  else: 'where the test is false',
  each: '{{ each NAME in LIST }} … {{ end }}',
  between: 'between two entries of a loop',
  empty: 'where a loop has no entries',
  end: 'ends {{ if }} or {{ each }}',
  say: 'a text of strings/ in the language of the mail: {{ say "KEY" name=value }}',
};
