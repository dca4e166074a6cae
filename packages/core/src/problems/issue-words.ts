import type * as z from 'zod';

const TYPES: Readonly<Record<string, string>> = {
  string: 'a text',
  number: 'a number',
  int: 'a whole number',
  boolean: 'true or false',
  array: 'a list',
  object: 'an object',
  record: 'an object',
  date: 'a date',
  null: 'null',
  undefined: 'left out',
};
const typeWords = (name: string): string => TYPES[name] ?? name;

const FORMATS: Readonly<Record<string, string>> = {
  url: 'must be a URL such as "https://app.example/events"',
  email: 'must be an email address such as "name@host.example"',
  datetime: 'must be a time such as "2026-12-04T08:00:00Z"',
  date: 'must be a date such as "2026-12-04"',
  regex: 'does not have the right form',
};

const UNITS: Readonly<Record<string, string>> = { string: 'characters', array: 'entries', set: 'entries', object: 'fields', file: 'bytes' };

function sizeWords(issue: z.core.$ZodIssueTooBig | z.core.$ZodIssueTooSmall): string {
  const [isBig, bound] = issue.code === 'too_big' ? [true, issue.maximum] : [false, issue.minimum];
  const unit = UNITS[issue.origin];
  if (unit !== undefined) {
    if (!isBig && bound === 1) return 'must not be empty';
    return `must have ${isBig ? 'at most' : 'at least'} ${bound} ${unit}`;
  }
  if (issue.inclusive === false) return `must be ${isBig ? 'below' : 'above'} ${bound}`;
  return `must be ${isBig ? 'at most' : 'at least'} ${bound}`;
}

/** A fault that a schema finds, as the rest of a sentence that begins with the name of the field. Our own messages are kept. */
export function issueWords(issue: z.core.$ZodIssue): string {
  if (!/^(?:Invalid|Too (?:big|small))\b/.test(issue.message)) return issue.message;
  switch (issue.code) {
    case 'invalid_type': {
      const received = /received (\w+)$/.exec(issue.message)?.[1];
      if (received === 'undefined') return 'is missing';
      return `must be ${typeWords(issue.expected)}${received === undefined || issue.expected === 'int' ? '' : `, not ${received === 'NaN' ? 'that' : typeWords(received)}`}`;
    }
    case 'too_big':
    case 'too_small':
      return sizeWords(issue);
    case 'invalid_value':
      return issue.values.length === 1
        ? `must be ${JSON.stringify(issue.values[0])}`
        : `must be one of ${issue.values.map((value) => String(value)).join(', ')}`;
    case 'invalid_format':
      return FORMATS[issue.format] ?? `is not a valid ${issue.format}`;
    case 'not_multiple_of':
      return `must be a multiple of ${issue.divisor}`;
    case 'custom':
    case 'invalid_element':
    case 'invalid_key':
    case 'invalid_union':
    case 'unrecognized_keys':
      return issue.message.replace(/^Invalid input: /, '').replace(/^Invalid input$/, 'is not valid');
  }
}
