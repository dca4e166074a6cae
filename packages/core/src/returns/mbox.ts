const FROM = Buffer.from('From ', 'latin1');

/**
 * The emails of an mbox file (RFC 4155), or the one mail that bytes are. A "From " line begins an email at the start of the file or after an
 * empty line, when a header follows it; ">From " at the start of a line is taken back.
 */
export function* emailsIn(bytes: Uint8Array): Generator<Uint8Array> {
  const all = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (!all.subarray(0, 5).equals(FROM)) {
    yield all;
    return;
  }
  let start = afterLine(all, 0);
  for (let at = all.indexOf('\nFrom ', start, 'latin1'); at !== -1; at = all.indexOf('\nFrom ', at + 1, 'latin1')) {
    const isEmptyBefore = all[at - 1] === 10 || (all[at - 1] === 13 && all[at - 2] === 10);
    const next = afterLine(all, at + 1);
    if (!isEmptyBefore || !/^[\x21-\x39\x3B-\x7E]{1,80}:/.test(all.toString('latin1', next, next + 100))) continue;
    yield unquoted(all.subarray(start, at));
    start = next;
  }
  yield unquoted(all.subarray(start));
}

function afterLine(bytes: Buffer, from: number): number {
  const end = bytes.indexOf(10, from);
  return end === -1 ? bytes.length : end + 1;
}

function unquoted(mail: Buffer): Uint8Array {
  if (!mail.includes('>From ')) return mail;
  return Buffer.from(mail.toString('latin1').replace(/^>(>*From )/gm, '$1'), 'latin1');
}
