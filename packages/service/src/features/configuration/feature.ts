import { serve, type Feature } from '../../kernel/index.js';
import { configurationEndpoints, type ConfigurationEndpoints } from './endpoints.js';

/** The configuration of the service, as it is and read again. */
export function openConfiguration(deps: ConfigurationEndpoints): Feature {
  return { name: 'configuration', endpoints: serve(configurationEndpoints, deps) };
}
