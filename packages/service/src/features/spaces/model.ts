import * as z from 'zod';

export const SpaceView = z
  .strictObject({
    name: z.string(),
    mode: z.enum(['deliver', 'capture']),
    mark: z.string().optional().meta({ description: 'Put before or after every subject.' }),
    allowed: z.array(z.string()).optional().meta({ description: 'Who may get mail; everybody when absent.' }),
    redirectTo: z.string().optional().meta({ description: 'Where mail for everybody else goes; it is captured when absent.' }),
    archive: z.string().optional().meta({ description: 'Gets a copy of every mail.' }),
    submission: z.string().optional().meta({ description: 'host:port where any app hands mail in by SMTP, without a key.' }),
  })
  .meta({ id: 'Space' });
