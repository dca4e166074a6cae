import { expect, test } from '@jest/globals';
import { mailFolderOf } from './publish.js';

test('a folder has its name and the paths in it; names that begin with a dot are left out', () => {
  const list = ['mail/mail.yaml', 'mail/templates/a/message.md', 'mail/.notes', 'mail/.git/HEAD'].map((webkitRelativePath) => ({
    webkitRelativePath,
  }));
  expect(mailFolderOf(list)).toEqual({ name: 'mail', paths: ['mail.yaml', 'templates/a/message.md', '', ''] });
  expect(mailFolderOf([])).toEqual({ name: '', paths: [] });
});
