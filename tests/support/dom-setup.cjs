// What browsers have and the stand-in for their DOM has not; does nothing in tests without a DOM.
if (typeof window !== 'undefined') {
  const { TextDecoder, TextEncoder } = require('node:util');
  Object.assign(globalThis, { TextDecoder, TextEncoder });
  // Dialogs ask for it (CSSOM, 2.1: what an identifier may not have is escaped).
  globalThis.CSS ??= { escape: (text) => text.replace(/[^\w-]/g, (sign) => `\\${sign}`) };
}
