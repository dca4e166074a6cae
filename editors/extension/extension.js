// Starts the language server for the files of mail folders. Everything else is done by it: see docs/editors.md.
const { workspace } = require('vscode');
const { LanguageClient } = require('vscode-languageclient/node');

/** Sources of templates, layouts and blocks; and what a rename can begin in. */
const FILES = [
  '**/templates/**/message*.{md,html,txt}',
  '**/{layouts,blocks}/*.md',
  '**/templates/*/data.schema.json',
  '**/{strings,schemas}/*.json',
];

let client;

exports.activate = () => {
  const [command = 'verbalis', ...args] = workspace.getConfiguration('verbalis').get('command') ?? [];
  client = new LanguageClient(
    'verbalis',
    'Verbalis',
    { command, args },
    { documentSelector: FILES.map((pattern) => ({ scheme: 'file', pattern })) },
  );
  return client.start();
};

exports.deactivate = () => client?.stop();
