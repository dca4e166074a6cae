import { z } from 'zod';

export const NewDomain = z
  .strictObject({
    name: z.string().min(3).max(253),
    algorithms: z
      .array(z.enum(['rsa-sha256', 'ed25519-sha256']))
      .min(1)
      .max(2)
      .optional()
      .meta({ description: 'How its emails are signed; both where nothing is said.' }),
  })
  .meta({ id: 'NewDomain' });
export const DomainView = z
  .strictObject({
    name: z.string(),
    records: z
      .array(
        z.strictObject({
          type: z.enum(['TXT']),
          name: z.string(),
          text: z.string().meta({ description: 'As one text.' }),
          zoneLine: z
            .string()
            .meta({ description: 'As a line of a zone file: the text in strings of 255 octets at most, which a record is made of.' }),
        }),
      )
      .meta({ description: 'To be published in the DNS.' }),
  })
  .meta({ id: 'Domain' });
export const DomainList = z.strictObject({ domains: z.array(DomainView) }).meta({ id: 'DomainList' });
