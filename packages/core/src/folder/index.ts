export { linkFolder, type MailProject, type Sample, type SourceFile, type TemplateFiles, type TemplateSource } from './link.js';
export type { DataSchema, MailFiles } from './reading.js';
export type { MailSettings, Tracking } from './settings.js';
export { readYamlFile, type YamlFile } from './yaml-file.js';
