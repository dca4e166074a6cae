import * as z from 'zod';
import { MailSettings } from '../folder/index.js';
import { FRONT_KEYS } from '../notation/index.js';
import { ScheduleFile } from '../schedules/index.js';
import { RuleFile } from '../signals/index.js';
import { FRONT_WORDS } from './words.js';

/** A JSON Schema (2020-12) of a kind of file, for editors. */
export interface FileSchema {
  readonly name: string;
  /** The files that it is for, from the mail folder. */
  readonly files: string;
  readonly schema: Readonly<Record<string, unknown>>;
}

const ofZod = (title: string, type: z.ZodType): Record<string, unknown> => ({
  ...z.toJSONSchema(type, { io: 'input', unrepresentable: 'any' }),
  title,
});

/** Values of the front matter that are no texts. */
const FRONT_TYPES: Readonly<Record<string, object>> = {
  inputs: { type: 'object', additionalProperties: { type: 'object' } },
  silence: { type: 'object', additionalProperties: { type: 'string', minLength: 1 } },
};

/** JSON Schemas of the YAML files of a mail folder and of the front matter. They are made of what reads these files. */
export function fileSchemas(): FileSchema[] {
  return [
    { name: 'mail', files: 'mail.yaml', schema: ofZod('mail.yaml', MailSettings) },
    { name: 'signal-rule', files: 'signals/*.yaml', schema: ofZod('A signal rule', RuleFile) },
    { name: 'schedule', files: 'schedules/*.yaml', schema: ofZod('A schedule', ScheduleFile) },
    {
      name: 'front-matter',
      files: 'the front matter of message.md, message.html, message.txt, layouts and blocks',
      schema: {
        $schema: 'https://json-schema.org/draft/2020-12/schema',
        title: 'Front matter',
        type: 'object',
        additionalProperties: false,
        properties: Object.fromEntries(
          FRONT_KEYS.map((key) => [
            key,
            { description: FRONT_WORDS[key], ...(FRONT_TYPES[key] ?? { type: ['string', 'number', 'boolean'] }) },
          ]),
        ),
      },
    },
  ];
}
