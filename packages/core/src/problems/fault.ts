/** What the core throws where it cannot go on: the data, a schema or a header does not allow it. */
export class Fault extends Error {
  override name = 'Fault';
  /** The place in the source ("templates/x/message.md:12:4"), where there is one. */
  readonly at: string;
  readonly hint: string | undefined;

  constructor(
    /** What is wrong, for programs ("link-scheme"). */
    readonly code: string,
    message: string,
    { at = '', hint }: { readonly at?: string; readonly hint?: string | undefined } = {},
  ) {
    super(message);
    this.at = at;
    this.hint = hint;
  }
}
