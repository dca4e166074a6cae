export { openSignals } from './feature.js';
export { signalEndpoints } from './endpoints.js';
export { matchStore } from './match-queries.js';
export { signalStore, type SignalRecords } from './queries.js';
export { signalEngine } from './engine.js';
export { signals, signalMatches } from './tables.js';
