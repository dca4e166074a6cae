export { compileFolder, type CompiledFolder } from './compile.js';
export { directionOf, type CompiledTemplate } from './template.js';
