import { didYouMean, SourceText, warning, type Problem } from '../problems/index.js';

/** Where files of a mail folder stand. Files that begin with a dot, and notes for people, are nobody's business. */
const PLACES: readonly { readonly path: RegExp; readonly example: string }[] = [
  { path: /^(?:mail\.yaml|theme\.tokens\.json)$/, example: 'mail.yaml' },
  { path: /^layouts\/[^/]+\.md$/, example: 'layouts/NAME.md' },
  { path: /^blocks\/[^/]+\.md$/, example: 'blocks/NAME.md' },
  { path: /^styles\/.+\.css$/, example: 'styles/NAME.css' },
  { path: /^strings\/[^/]+\.json$/, example: 'strings/LOCALE.json' },
  { path: /^assets\/.+/, example: 'assets/NAME.png' },
  { path: /^schemas\/.+\.json$/, example: 'schemas/NAME.schema.json' },
  { path: /^signals\/[^/]+\.yaml$/, example: 'signals/NAME.yaml' },
  { path: /^signals\/samples\/[^/]+\.json$/, example: 'signals/samples/NAME.json' },
  { path: /^schedules\/[^/]+\.yaml$/, example: 'schedules/NAME.yaml' },
  { path: /^schedules\/recipients\/[^/]+\.(?:csv|ndjson)$/, example: 'schedules/recipients/NAME.csv' },
  { path: /^templates\/[^/]+\/(?:message(?:\.[A-Za-z0-9-]+)?\.(?:md|html|txt)|data\.schema\.json|samples\/[^/]+\.json)$/, example: '' },
];
const FOLDERS = ['layouts', 'blocks', 'styles', 'strings', 'assets', 'schemas', 'signals', 'schedules', 'templates'];

/** A file that nothing reads, where its author may think otherwise. */
export function strayFile(path: string): Problem | undefined {
  if (/(?:^|\/)(?:\.[^/]*|README[^/]*|LICEN[CS]E[^/]*)(?:\/|$)/i.test(path) || PLACES.some((place) => place.path.test(path)))
    return undefined;
  const [folder = '', ...rest] = path.split('/');
  let hint: string | undefined;
  if (folder === 'templates' && rest.length === 1) hint = 'Each template has its own folder: templates/NAME/message.md.';
  else if (folder === 'templates') {
    const name = rest.slice(1).join('/');
    const tagged = /^message[._-]([A-Za-z]{2,3}(?:[-_][A-Za-z0-9]{2,8})*)\.(md|html|txt)$/.exec(name);
    hint =
      tagged !== null
        ? `Did you mean "message.${(tagged[1] ?? '').replaceAll('_', '-')}.${tagged[2] ?? ''}"?`
        : didYouMean(name, ['message.md', 'message.html', 'message.txt', 'data.schema.json', 'samples/typical.json']);
  } else if (FOLDERS.includes(folder))
    hint = `Files there are named ${PLACES.find(({ example }) => example.startsWith(`${folder}/`))?.example ?? ''}.`;
  else if (rest.length > 0) hint = didYouMean(folder, FOLDERS);
  else return undefined;
  return warning('stray-file', new SourceText(path, '').whole, 'Nothing reads this file.', hint);
}
