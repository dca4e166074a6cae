export { readShape, type ReadShape, type Shape } from './shape.js';
