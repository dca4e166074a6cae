import { peopleEndpoints as ofPeople } from './endpoints.js';
import { openidEndpoints } from './openid.js';
import { signInEndpoints } from './signing-in.js';

/** People, how they sign in, and their sessions. */
export const peopleEndpoints = [...ofPeople, ...signInEndpoints, ...openidEndpoints];
export { openPeople } from './feature.js';
export { openToThisMachine } from './foreign.js';
export { PeopleSettings } from './model.js';
export { peopleRetention } from './retention.js';
export { people } from './tables.js';
export { newSecret, peopleStore, type PeopleRecords } from './queries.js';
