export { compileFolder, directionOf, type CompiledFolder, type CompiledTemplate } from './compile.js';
