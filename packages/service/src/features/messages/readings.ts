import { Fault } from '@verbalis/core/problems';
import type { Editions } from '../editions/index.js';
import type { SensitiveData } from '../sensitive-data/index.js';
import type { SecretParts } from './prepare.js';
import type { MessageRow } from './tables.js';

/** A message as it may be read. What has no sensitive data is what its row says. */
export interface Readings {
  /** As its recipients get it. @throws where its sensitive data are no longer there */
  readonly whole: (message: MessageRow) => MessageRow;
  /** As everybody in its space may see it: with other values in place of sensitive ones. */
  readonly masked: (message: MessageRow) => Promise<MessageRow>;
  /** What its row shows masked; undefined where it is no longer there. */
  readonly secret: (message: MessageRow) => SecretParts | undefined;
}

const NOT_SHOWN = 'This email has sensitive data, and cannot be shown without them.\n';

export function messageReadings(editions: Pick<Editions, 'get'>, sensitive: SensitiveData): Readings {
  /** Data that say nothing of the sensitive ones, where the template can be rendered with them. */
  async function standIns({ space, edition: number, template, locale, data, createdAt }: MessageRow): Promise<unknown> {
    const edition = await editions.get(space, number);
    const found = edition?.templates.get(template);
    const given = found?.files.masking?.standIns(data);
    const renderer = found?.render(locale)?.renderer;
    if (given === undefined || renderer === undefined) return undefined;
    try {
      renderer({ data: given, now: createdAt, mail: { space } });
      return given;
    } catch (error) {
      if (error instanceof Fault) return undefined;
      throw error;
    }
  }

  return {
    whole(message) {
      if (message.more.sensitive !== true) return message;
      const opened = sensitive.open(message.id);
      if ('value' in opened) return { ...message, ...(opened.value as SecretParts) };
      throw new Error(
        opened.missing === 'dropped'
          ? 'Its sensitive data were removed.'
          : `Its sensitive data cannot be read: the key of ${opened.day ?? 'its day'} is not in the folder of day keys (dayKeysFolder).`,
      );
    },
    async masked(message) {
      if (message.more.sensitive !== true) return message;
      const data = await standIns(message);
      return data === undefined ? { ...message, more: { ...message.more, ready: { text: NOT_SHOWN } } } : { ...message, data };
    },
    secret({ id, subject, data, more }) {
      if (more.sensitive !== true) return { subject, data };
      const opened = sensitive.open(id);
      return 'value' in opened ? (opened.value as SecretParts) : undefined;
    },
  };
}
