export { CONSENT_WAYS, decidingConsent, type ConsentFact, type ConsentWay } from './consent.js';
