export { linkFolder, type MailFiles, type MailProject, type Sample, type SourceFile, type TemplateFiles } from './link.js';
export type { MailSettings } from './settings.js';
