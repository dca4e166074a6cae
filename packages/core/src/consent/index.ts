export { CONSENT_WAYS, decidingConsent, ENGAGEMENT, type ConsentFact, type ConsentWay } from './consent.js';
