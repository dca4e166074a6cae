export { compileRules, type CompiledRules } from './compile.js';
export { RuleFile } from './rule-file.js';
export { type Mail, type Rule, type Signal } from './rule.js';
export { trySignal, type Trial } from './try.js';
