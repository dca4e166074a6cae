import * as z from 'zod';

const FindingView = z
  .strictObject({
    code: z.string().meta({ description: 'Stays the same: "operator-secret".' }),
    level: z.enum(['must', 'should', 'good']).meta({
      description: 'must: something does not work, or anybody can get in. should: something will go wrong one day. good: it was looked at.',
    }),
    title: z.string(),
    detail: z.string().optional(),
    hint: z.string().optional().meta({ description: 'What to do.' }),
  })
  .meta({ id: 'DoctorFinding' });
export const DoctorView = z
  .strictObject({ findings: z.array(FindingView).meta({ description: 'What must be done first.' }) })
  .meta({ id: 'Doctor' });
