/** Which emails a person means: those that have all that is named. One that names nothing means all. */
export interface EmailFilter {
  readonly template?: string | undefined;
  readonly edition?: number | undefined;
  readonly topic?: string | undefined;
  /** The recipient's domain, in small letters. */
  readonly domain?: string | undefined;
  readonly labels?: Readonly<Record<string, string>> | undefined;
}

/** What a filter looks at. */
export interface FilteredEmail {
  readonly template: string;
  readonly edition: number;
  readonly topic: string | null;
  readonly domain: string;
  readonly labels: Readonly<Record<string, string>>;
}

const FIELDS = ['template', 'edition', 'topic', 'domain'] as const;

/** Whether a filter means an email. */
export function isMeant(filter: EmailFilter, email: FilteredEmail): boolean {
  return (
    FIELDS.every((field) => filter[field] === undefined || filter[field] === email[field]) &&
    Object.entries(filter.labels ?? {}).every(([name, value]) => Object.hasOwn(email.labels, name) && email.labels[name] === value)
  );
}

/** Whether a filter names all that another does, with the same values: whatever it means, the other means too. */
export function isWithin(filter: EmailFilter, other: EmailFilter): boolean {
  return (
    FIELDS.every((field) => other[field] === undefined || other[field] === filter[field]) &&
    Object.entries(other.labels ?? {}).every(([name, value]) => Object.hasOwn(filter.labels ?? {}, name) && filter.labels?.[name] === value)
  );
}

/** A filter for people: `template booking, edition 12`. */
export function filterText(filter: EmailFilter): string {
  const fields = FIELDS.flatMap((field) => (filter[field] === undefined ? [] : [`${field} ${filter[field]}`]));
  const labels = Object.entries(filter.labels ?? {}).map(([name, value]) => `label ${name}=${value}`);
  return [...fields, ...labels].join(', ') || 'everything';
}
