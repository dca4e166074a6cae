import * as z from 'zod';

const SettingInForce = z
  .strictObject({
    path: z.string().meta({ description: 'providers.north-relay.port' }),
    value: z.string().meta({ description: 'As JSON; secrets are masked.' }),
    origin: z.string().optional().meta({ description: 'The file or the variable that it came from; absent for what is usual.' }),
  })
  .meta({ id: 'SettingInForce' });
export const ConfigurationInForce = z.strictObject({ settings: z.array(SettingInForce) }).meta({ id: 'ConfigurationInForce' });

const SettingChanged = z
  .strictObject({ path: z.string(), from: z.string().optional(), to: z.string().optional() })
  .meta({ id: 'SettingChanged' });
export const ConfigurationReloaded = z
  .strictObject({ changed: z.array(SettingChanged).meta({ description: 'What differs from before; empty where nothing does.' }) })
  .meta({ id: 'ConfigurationReloaded' });
