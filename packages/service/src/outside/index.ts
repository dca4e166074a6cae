export { outsideAgent, OutsideFault, fetchOutside, isInside, type OutsideRules } from './outside.js';
