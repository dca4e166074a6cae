export {
  linkFolder,
  type MailFiles,
  type MailProject,
  type Sample,
  type SourceFile,
  type TemplateFiles,
  type TemplateSource,
} from './link.js';
export type { MailSettings, Tracking } from './settings.js';
