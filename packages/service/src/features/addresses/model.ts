import * as z from 'zod';

const Json = z.record(z.string(), z.unknown());
export const AddressExport = z
  .strictObject({
    address: z.string(),
    space: z.string(),
    at: z.iso.datetime(),
    messages: z.array(Json).meta({ description: 'To it, or that name it, with deliveries, attempts, facts and bodies.' }),
    consents: z.array(Json).meta({ description: 'How it left topics and joined them again.' }),
    suppressions: z.array(Json),
    returns: z.array(Json),
    inbound: z.array(Json).meta({ description: 'What it has written to us, and what others wrote that names it.' }),
    captured: z.array(Json),
    signals: z.array(Json).meta({ description: 'Signals whose data name it.' }),
  })
  .meta({ id: 'AddressExport' });

export const Erasure = z
  .strictObject({
    address: z.string(),
    messages: z.int().meta({ description: 'Removed, because they had no other recipient.' }),
    others: z.int().meta({ description: 'Went to others, too, or named it: their data are removed.' }),
    captured: z.int(),
    consents: z.int(),
    suppressions: z.int().meta({ description: 'Stay in force under a keyed hash.' }),
    elsewhere: z.int().meta({ description: 'Returns, events, alerts and other records that named it.' }),
    waiting: z.array(z.string()).meta({ description: 'Messages that are still being sent to others. Erase again when they are.' }),
    isLogEmpty: z.boolean().meta({ description: 'False: something still read the log of the database; it is emptied soon.' }),
  })
  .meta({ id: 'Erasure' });
