export { Dispatcher, type DispatchOptions } from './dispatcher.js';
