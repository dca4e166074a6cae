/**
 * A mail as DATA sends it: line ends CRLF, a dot doubled at the start of a line, and the final dot (RFC 5321 4.5.2).
 */
export function stuffed(mail: Uint8Array): Uint8Array {
  let extra = 0;
  const { length } = mail;
  for (let i = 0; i < length; i += 1) {
    const byte = mail[i];
    const starts = i === 0 || mail[i - 1] === 10 || (mail[i - 1] === 13 && byte !== 10);
    if (byte === 46 && starts) extra += 1;
    if (byte === 10 && mail[i - 1] !== 13) extra += 1;
    if (byte === 13 && mail[i + 1] !== 10) extra += 1;
  }
  const ended = length >= 1 && (mail[length - 1] === 10 || mail[length - 1] === 13);
  const tail = ended || length === 0 ? '.\r\n' : '\r\n.\r\n';
  const out = Buffer.allocUnsafe(length + extra + tail.length);
  let at = 0;
  for (let i = 0; i < length; i += 1) {
    const byte = mail[i] as number;
    const starts = i === 0 || mail[i - 1] === 10 || (mail[i - 1] === 13 && byte !== 10);
    if (byte === 46 && starts) out[at++] = 46;
    if (byte === 10 && mail[i - 1] !== 13) out[at++] = 13;
    out[at++] = byte;
    if (byte === 13 && mail[i + 1] !== 10) out[at++] = 10;
  }
  out.write(tail, at, 'latin1');
  return out.subarray(0, at + tail.length);
}

/** Takes the doubled dots of one received line away. */
export function unstuffed(line: Buffer): Buffer {
  return line[0] === 46 && line.length > 1 ? line.subarray(1) : line;
}
