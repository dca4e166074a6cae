/** Whom a balancer speaks for, by the header that it sends before anything else (PROXY protocol, version 2). */
export type ProxyHeader =
  /** So many bytes belong to the header; `address` is undefined if the balancer itself connects (LOCAL), as for health checks. */
  | { readonly kind: 'header'; readonly length: number; readonly address: string | undefined }
  | { readonly kind: 'more' }
  | { readonly kind: 'fault' };

const SIGNATURE = Buffer.from('\r\n\r\n\0\r\nQUIT\n', 'latin1');
const FIXED = SIGNATURE.length + 4;
/** Addresses and additions of the balancer's that are read over, in bytes. */
const MOST = 4096;
const [LOCAL, PROXY] = [0x20, 0x21];
const [TCP4, TCP6] = [0x11, 0x21];

/** Reads the header at the start of a connection (PROXY protocol 2.2, binary format). */
export function readProxyHeader(bytes: Buffer): ProxyHeader {
  const known = Math.min(bytes.length, SIGNATURE.length);
  if (!bytes.subarray(0, known).equals(SIGNATURE.subarray(0, known))) return { kind: 'fault' };
  if (bytes.length < FIXED) return { kind: 'more' };
  const [command, family] = [bytes[12], bytes[13]];
  const size = bytes.readUInt16BE(14);
  if ((command !== LOCAL && command !== PROXY) || size > MOST) return { kind: 'fault' };
  const length = FIXED + size;
  if (bytes.length < length) return { kind: 'more' };
  if (command === LOCAL) return { kind: 'header', length, address: undefined };
  const body = bytes.subarray(FIXED, length);
  if (family === TCP4 && size >= 12) return { kind: 'header', length, address: [...body.subarray(0, 4)].join('.') };
  if (family === TCP6 && size >= 36) {
    const groups = Array.from({ length: 8 }, (_, i) => body.readUInt16BE(i * 2).toString(16));
    return { kind: 'header', length, address: groups.join(':') };
  }
  // Other kinds of connections have no address.
  return family === undefined || (family & 0xf) > 2 || family >> 4 > 3 ? { kind: 'fault' } : { kind: 'header', length, address: undefined };
}
