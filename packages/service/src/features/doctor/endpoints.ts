import { endpointsOf, json } from '../../kernel/index.js';
import type { Finding } from './facts.js';
import { DoctorView } from './model.js';

export interface DoctorEndpoints {
  readonly examine: () => Promise<readonly Finding[]>;
}

const endpoint = endpointsOf<DoctorEndpoints>();

const get = endpoint({
  name: 'doctor.get',
  method: 'get',
  path: '/v1/doctor',
  summary: 'What is missing or risky in how the service is set up',
  scope: 'operator',
  isForService: true,
  answers: { 200: json('What was looked at.', DoctorView) },
  run: async (_call, { examine }) => ({ findings: [...(await examine())] }),
});

/** How the service is set up. */
export const doctorEndpoints = [get];
