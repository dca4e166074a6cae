export { previewOf, type FolderPreview, type MailPreview, type RenderOptions, type TemplateState } from './folder.js';
export { shownAs, type ShownHow } from './shown.js';
