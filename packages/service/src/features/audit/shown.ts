/** Names of fields that hold a secret. */
const SECRET = /secret|password|token|credential|authori[sz]ation/i;
/** Names of fields that hold what an email says, or data of many people. */
const CONTENT = new Set([
  'data',
  'common',
  'html',
  'text',
  'raw',
  'content',
  'attachments',
  'files',
  'messages',
  'rows',
  'headers',
  'subject',
]);

/** Characters of a change that are kept, and of one text in it. */
const [MOST, MOST_OF_TEXT] = [4000, 300];
/** Entries of a list that are kept. */
const MOST_OF_LIST = 20;

function sizeOf(value: unknown): string {
  if (Array.isArray(value)) return `(${value.length} entries, not kept)`;
  return `(${JSON.stringify(value).length} characters, not kept)`;
}

function shown(name: string, value: unknown): unknown {
  if (value === undefined || value === null || typeof value === 'boolean' || typeof value === 'number') return value;
  if (SECRET.test(name)) return '…';
  if (CONTENT.has(name)) return sizeOf(value);
  if (typeof value === 'string') return value.length > MOST_OF_TEXT ? `${value.slice(0, MOST_OF_TEXT)}…` : value;
  if (Array.isArray(value)) {
    const first = value.slice(0, MOST_OF_LIST).map((entry) => shown('', entry));
    return value.length > MOST_OF_LIST ? [...first, `(${value.length - MOST_OF_LIST} more)`] : first;
  }
  return Object.fromEntries(Object.entries(value).map(([key, inner]) => [key, shown(key, inner)]));
}

/** What was asked for as the audit log keeps it: without secrets, without what emails say, and not longer than 4,000 characters. */
export function shownChange(change: unknown): string | null {
  if (change === undefined) return null;
  const text = JSON.stringify(shown('', change));
  return text.length <= MOST ? text : JSON.stringify({ omitted: `${text.length} characters` });
}
