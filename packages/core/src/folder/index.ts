export { linkFolder, type MailProject, type Sample, type SourceFile, type TemplateFiles, type TemplateSource } from './link.js';
export { pathFrom, type MailFiles } from './reading.js';
export { type DataSchema } from './schemas.js';
export { MailSettings, TimeZone, type Tracking } from './settings.js';
export { readYamlFile, type YamlFile } from './yaml-file.js';
