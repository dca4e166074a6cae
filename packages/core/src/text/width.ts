import stringWidth from 'string-width';

const PLAIN = /^[\u0020-\u007E]*$/;

/** Columns that a text takes on a terminal: wide characters two, combining marks none. */
export function displayWidth(text: string): number {
  return PLAIN.test(text) ? text.length : stringWidth(text);
}

export function padEnd(text: string, width: number): string {
  return text + ' '.repeat(Math.max(0, width - displayWidth(text)));
}

export function padStart(text: string, width: number): string {
  return ' '.repeat(Math.max(0, width - displayWidth(text))) + text;
}
