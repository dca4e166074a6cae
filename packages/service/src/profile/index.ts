export { HttpProfile, meaningOfStatus, readProfile, type ReadProfile } from './profile.js';
