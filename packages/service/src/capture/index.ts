export { captureDesk, type CaptureDesk, type CaptureWish } from './desk.js';
export { SimulationFault, simulator, type Fate, type Simulator } from './simulate.js';
