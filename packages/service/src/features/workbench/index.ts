export { editionWorkbench } from './editions.js';
export { templateEndpoints, type TemplateEndpoints, type TestSending } from './endpoints.js';
export { folderWorkbench } from './folder.js';
export { testSending } from './testing.js';
export { openWorkbench, templateDeps } from './feature.js';
