import { gunzipSync } from 'node:zlib';
import { partBytes, partsOf, readMail } from '@verbalis/core/mime';
import { readDmarcReport, readTlsReport, type DmarcReport, type TlsReport } from '@verbalis/core/reports';
import { fromBuffer, type ZipFile } from 'yauzl';

/** What an email to a report address holds. */
export interface ReadReports {
  readonly dmarc: readonly DmarcReport[];
  readonly tls: readonly TlsReport[];
  /** Why something in it could not be read, in sentences. */
  readonly problems: readonly string[];
}

/** A report that is unpacked is not larger; nor are all of an email together. In bytes. */
const MOST_BYTES = 20_000_000;
/** Files of an archive, and of an email, that are looked at. */
const MOST_FILES = 20;

const [GZIP, ZIP] = [Buffer.from([0x1f, 0x8b]), Buffer.from('PK\u0003\u0004', 'latin1')];

/** Something that is not read. Says why, in a sentence. */
class Unpackable extends Error {}

/** Reads the reports that an email holds: as XML or JSON, packed by gzip or zip, whatever their types and names say. */
export async function readReports(mail: Uint8Array): Promise<ReadReports> {
  const dmarc: DmarcReport[] = [];
  const tls: TlsReport[] = [];
  const problems: string[] = [];
  let left = MOST_BYTES;
  const parts = [...partsOf(readMail(mail))].filter(({ parts: inner }) => inner.length === 0).slice(0, MOST_FILES);
  for (const part of parts) {
    try {
      for (const file of await unpacked(Buffer.from(partBytes(part)), left)) {
        left -= file.length;
        const text = textOf(file);
        if (text.startsWith('<')) dmarc.push(readDmarcReport(text));
        else if (text.startsWith('{')) tls.push(...readTlsReport(text));
        else if (!part.type.startsWith('text/')) problems.push(`An attachment (${part.type}) is neither XML nor JSON.`);
      }
    } catch (error) {
      // A text beside the report may be HTML: that is nothing to complain about.
      if (!part.type.startsWith('text/html') && !part.type.startsWith('text/plain'))
        problems.push(error instanceof Error ? error.message : String(error));
    }
  }
  if (dmarc.length === 0 && tls.length === 0 && problems.length === 0) problems.push('It holds no report.');
  return { dmarc, tls, problems };
}

/** A file's text: UTF-8, or UTF-16 where it says so. */
function textOf(bytes: Buffer): string {
  const [first = 0, second = 0] = bytes;
  const isLittle = (first === 0xff && second === 0xfe) || (first !== 0 && second === 0);
  if (isLittle)
    return bytes
      .toString('utf16le')
      .replace(/^\ufeff/, '')
      .trim();
  if ((first === 0xfe && second === 0xff) || (first === 0 && second !== 0))
    return Buffer.from(bytes.subarray(0, bytes.length & ~1))
      .swap16()
      .toString('utf16le')
      .replace(/^\ufeff/, '')
      .trim();
  return bytes
    .toString('utf8')
    .replace(/^\ufeff/, '')
    .trim();
}

async function unpacked(bytes: Buffer, left: number): Promise<Buffer[]> {
  if (bytes.subarray(0, 2).equals(GZIP)) {
    try {
      return [gunzipSync(bytes, { maxOutputLength: Math.max(1, left) })];
    } catch (error) {
      const isTooLarge = (error as NodeJS.ErrnoException).code === 'ERR_BUFFER_TOO_LARGE';
      throw new Unpackable(isTooLarge ? `Unpacked it is larger than ${MOST_BYTES / 1_000_000} MB.` : 'It is not valid gzip.');
    }
  }
  if (bytes.subarray(0, 4).equals(ZIP)) return unzipped(bytes, left);
  if (bytes.length > left) throw new Unpackable(`It is larger than ${MOST_BYTES / 1_000_000} MB.`);
  return [bytes];
}

/** The files of an archive. What the archive says of their sizes is not believed: reading ends at the limit. */
async function unzipped(bytes: Buffer, most: number): Promise<Buffer[]> {
  const archive = await new Promise<ZipFile>((done, fail) => {
    fromBuffer(bytes, { lazyEntries: true, validateEntrySizes: true }, (error, file) => {
      if (error === null) done(file);
      else fail(new Unpackable(`It is not a valid zip archive: ${error.message}`));
    });
  });
  const files: Buffer[] = [];
  let left = most;
  return new Promise((done, fail) => {
    const end = (error: Error): void => {
      archive.close();
      fail(error instanceof Unpackable ? error : new Unpackable(`It is not a valid zip archive: ${error.message}`));
    };
    archive.on('error', end);
    archive.on('end', () => {
      done(files);
    });
    archive.on('entry', (entry: { readonly fileName: string }) => {
      if (files.length >= MOST_FILES) {
        end(new Unpackable(`It is an archive of more than ${MOST_FILES} files.`));
        return;
      }
      if (entry.fileName.endsWith('/')) {
        archive.readEntry();
        return;
      }
      archive.openReadStream(entry as never, (error, stream) => {
        if (error !== null) {
          end(error);
          return;
        }
        const pieces: Buffer[] = [];
        stream.on('data', (piece: Buffer) => {
          left -= piece.length;
          if (left < 0) stream.destroy(new Unpackable(`Unpacked it is larger than ${MOST_BYTES / 1_000_000} MB.`));
          else pieces.push(piece);
        });
        stream.on('error', end);
        stream.on('end', () => {
          files.push(Buffer.concat(pieces));
          archive.readEntry();
        });
      });
    });
    archive.readEntry();
  });
}
