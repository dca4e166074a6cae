export { codeFrame, describe } from './frame.js';
export { depthOf, duplicateKeys, isDeeper, jsonFault, MAX_DEPTH } from './json.js';
export { issueWords } from './issue-words.js';
export { didYouMean, nearest } from './nearest.js';
export { hasErrors, inReadingOrder, problem, suggestion, warning, type Place, type Problem, type Severity } from './problem.js';
export { SourceText } from './source.js';
export { readYaml, yamlKeyAt, yamlValueAt, type YamlFault } from './yaml.js';
export { Budget, BudgetExceeded, type BudgetLimits } from './budget.js';
export { Fault } from './fault.js';
