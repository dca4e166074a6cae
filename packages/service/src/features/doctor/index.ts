import { serve, type Feature } from '../../kernel/index.js';
import { doctorEndpoints, type DoctorEndpoints } from './endpoints.js';

export { diagnose, isHere } from './diagnose.js';
export { doctorEndpoints } from './endpoints.js';
export type { ClusterFacts, DoctorFacts, Finding, Listening, ProviderFacts, SpaceFacts } from './facts.js';
export { recordsFor } from './queries.js';

/** What is missing or risky in how the service is set up. */
export function openDoctor(deps: DoctorEndpoints): Feature {
  return { name: 'doctor', endpoints: serve(doctorEndpoints, deps) };
}
