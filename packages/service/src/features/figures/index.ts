export { figureRollUp } from './roll-up.js';
export { counted } from './tables.js';
export { figureStore } from './queries.js';
export type { FigureRecords } from './queries.js';
export { figureRetention } from './retention.js';
export { figureEndpoints } from './endpoints.js';
export { openFigures } from './feature.js';
export { figuresByDeliveries } from './audit-queries.js';
