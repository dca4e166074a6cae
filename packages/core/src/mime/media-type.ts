import { lookup } from 'mime-types';

/** The media type of a file by its name (IANA's registry); unknown ones are just bytes. */
export function mediaType(name: string): string {
  const type = lookup(name);
  return type === false ? 'application/octet-stream' : type;
}
