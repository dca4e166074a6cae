export { outsideAgent, OutsideFault, fetchOutside, isInside, refuseInside, type OutsideRules } from './outside.js';
