export { attachmentsOf } from './attach.js';
export { type AttachmentRow, contentStore } from './queries.js';
export { uploadEndpoints } from './endpoints.js';
export { Attachment, type AttachmentRequest } from './model.js';
export { contentPieces, contents, attachments, uploads } from './tables.js';
export type { AttachmentRecords } from './queries.js';
export { attachmentRetention } from './retention.js';
export { openAttachments } from './feature.js';
export { contentsUsed, contentsWhole } from './audit-queries.js';
