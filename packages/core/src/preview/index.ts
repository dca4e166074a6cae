export { previewOf, type FolderPreview, type MailPreview, type RenderWish, type TemplateState } from './folder.js';
export { shownAs, type ShownHow } from './shown.js';
