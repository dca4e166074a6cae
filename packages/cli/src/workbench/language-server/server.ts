import { fileURLToPath } from 'node:url';
import {
  complete,
  definitions,
  describe,
  formatSource,
  problemsOfSending,
  rename,
  renameableAt,
  type EditedFolder,
} from '@verbalis/core/editing';
import type { Problem } from '@verbalis/core/problems';
import {
  createConnection,
  ErrorCodes,
  ProposedFeatures,
  ResponseError,
  TextDocuments,
  TextDocumentSyncKind,
  type Connection,
  type TextDocumentPositionParams,
} from 'vscode-languageserver/node.js';
import { TextDocument } from 'vscode-languageserver-textdocument';
import { OpenFolder, rootOf } from './open-folder.js';
import { completionItem, diagnosticOf, documentOf, locationOf, rangeOf, textEdits, uriOf } from './words.js';

/** Problems are looked for when nothing has been typed for so long. In milliseconds. */
const PAUSE_MS = 120;

/** A document in its mail folder. */
interface Opened {
  readonly document: TextDocument;
  readonly folder: OpenFolder;
  readonly path: string;
}

/** Serves the language server protocol (3.17) on standard input and output until the editor ends it. */
export async function serve(): Promise<void> {
  const connection = createConnection(ProposedFeatures.all, process.stdin, process.stdout);
  new LanguageServer(connection).listen();
  await new Promise<void>((done) => {
    connection.onExit(() => done());
    process.stdin.once('end', () => done());
  });
}

class LanguageServer {
  readonly #documents = new TextDocuments(TextDocument);
  readonly #folders = new Map<string, Promise<OpenFolder | undefined>>();
  readonly #reports = new Map<string, Report>();

  constructor(private readonly connection: Connection) {}

  listen(): void {
    const { connection } = this;
    connection.onInitialize(() => ({
      serverInfo: { name: 'verbalis' },
      capabilities: {
        textDocumentSync: TextDocumentSyncKind.Incremental,
        completionProvider: { triggerCharacters: ['.', '|', ':', '"', "'", ' ', '{', '=', '/', '['] },
        hoverProvider: true,
        definitionProvider: true,
        renameProvider: { prepareProvider: true },
        documentFormattingProvider: true,
      },
    }));
    connection.onCompletion(async (params) => {
      const { document, folder, path } = (await this.#opened(params)) ?? {};
      if (document === undefined || folder === undefined || path === undefined) return [];
      return complete(folder.now, path, document.offsetAt(params.position)).map((found, i) => completionItem(document, found, i));
    });
    connection.onHover((params) => this.#hover(params));
    connection.onDefinition((params) => this.#definition(params));
    connection.onPrepareRename((params) => this.#renameable(params));
    connection.onRenameRequest((params) => this.#rename(params));
    connection.onDocumentFormatting((params) => this.#format(params.textDocument.uri));
    this.#documents.onDidChangeContent(({ document }) => this.#changed(document, document.getText()));
    this.#documents.onDidClose(({ document }) => this.#changed(document, undefined));
    this.#documents.listen(connection);
    connection.listen();
  }

  /** The mail folder of a document; undefined for one that is in none, or in one that cannot be read. */
  #folderOf(uri: string): Promise<OpenFolder | undefined> {
    const root = uri.startsWith('file:') ? rootOf(fileURLToPath(uri)) : undefined;
    if (root === undefined) return Promise.resolve(undefined);
    let folder = this.#folders.get(root);
    if (folder === undefined) {
      folder = OpenFolder.at(root, () => void this.#report(root)).catch((error: unknown) => {
        this.connection.window.showErrorMessage(error instanceof Error ? error.message : String(error));
        // The next time a file is opened, the folder may be readable.
        this.#folders.delete(root);
        return undefined;
      });
      this.#folders.set(root, folder);
    }
    return folder;
  }

  async #opened({ textDocument: { uri } }: Pick<TextDocumentPositionParams, 'textDocument'>): Promise<Opened | undefined> {
    const document = this.#documents.get(uri);
    const folder = document === undefined ? undefined : await this.#folderOf(uri);
    if (document === undefined || folder === undefined) return undefined;
    return { document, folder, path: folder.pathOf(fileURLToPath(uri)) };
  }

  #changed({ uri }: TextDocument, text: string | undefined): void {
    void this.#folderOf(uri).then((folder) => {
      if (folder === undefined) return;
      folder.type(folder.pathOf(fileURLToPath(uri)), text);
      return this.#report(folder.root);
    });
  }

  async #report(root: string): Promise<void> {
    const folder = await this.#folders.get(root);
    if (folder === undefined) return;
    let report = this.#reports.get(root);
    if (report === undefined) this.#reports.set(root, (report = new Report(folder, this.connection)));
    report.again();
  }

  async #hover(params: TextDocumentPositionParams) {
    const { document, folder, path } = (await this.#opened(params)) ?? {};
    if (document === undefined || folder === undefined || path === undefined) return null;
    const found = describe(folder.now, path, document.offsetAt(params.position));
    return found === undefined
      ? null
      : { contents: { kind: 'markdown' as const, value: found.text }, range: rangeOf(document, found.place) };
  }

  async #definition(params: TextDocumentPositionParams) {
    const { document, folder, path } = (await this.#opened(params)) ?? {};
    if (document === undefined || folder === undefined || path === undefined) return [];
    const { now, root } = folder;
    return definitions(now, path, document.offsetAt(params.position)).map((place) => locationOf(root, place, textOf(now, place.file)));
  }

  async #renameable(params: TextDocumentPositionParams) {
    const { document, folder, path } = (await this.#opened(params)) ?? {};
    if (document === undefined || folder === undefined || path === undefined) return null;
    const found = renameableAt(folder.now, path, document.offsetAt(params.position));
    if ('refused' in found) throw new ResponseError(ErrorCodes.InvalidRequest, found.refused);
    return { range: rangeOf(document, found.place), placeholder: found.name };
  }

  async #rename(params: TextDocumentPositionParams & { readonly newName: string }) {
    const { document, folder, path } = (await this.#opened(params)) ?? {};
    if (document === undefined || folder === undefined || path === undefined) return null;
    const { now, root } = folder;
    const edits = rename(now, { path, offset: document.offsetAt(params.position) }, params.newName);
    if ('refused' in edits) throw new ResponseError(ErrorCodes.InvalidRequest, edits.refused);
    const changes = textEdits(edits, (file) => textOf(now, file));
    return { changes: Object.fromEntries([...changes].map(([file, list]) => [uriOf(root, file), list])) };
  }

  async #format(uri: string) {
    const { document, folder, path } = (await this.#opened({ textDocument: { uri } })) ?? {};
    if (document === undefined || folder === undefined || path === undefined || !/\.(?:md|html|txt)$/.test(path)) return [];
    const text = document.getText();
    const formatted = formatSource(path, text, folder.now.context.modes);
    return formatted === text ? [] : [{ range: rangeOf(document, { offset: 0, length: text.length }), newText: formatted }];
  }
}

const textOf = (folder: EditedFolder, file: string): string => folder.project.texts.get(file) ?? '';

/** Shows the problems of a folder, template by template: what is typed meanwhile is answered between two of them. */
class Report {
  #timer: NodeJS.Timeout | undefined;
  /** Files with problems that the editor knows of. */
  #shown = new Set<string>();

  constructor(
    private readonly folder: OpenFolder,
    private readonly connection: Connection,
  ) {}

  /** After a change. */
  again(): void {
    clearTimeout(this.#timer);
    this.#timer = setTimeout(() => {
      void this.#look().catch((error: unknown) =>
        this.connection.console.error(error instanceof Error ? (error.stack ?? error.message) : String(error)),
      );
    }, PAUSE_MS);
  }

  async #look(): Promise<void> {
    const { folder } = this;
    const { version, now } = folder;
    const problems = [...now.shared];
    for (const name of now.project.templates.keys()) {
      problems.push(...(now.compiled(name)?.problems ?? []));
      await new Promise((next) => setImmediate(next));
      // Something has changed since; that change starts its own check.
      if (folder.version !== version) return;
    }
    problems.push(...problemsOfSending(now));
    await this.#show(problems, now);
  }

  async #show(problems: readonly Problem[], now: EditedFolder): Promise<void> {
    const { root } = this.folder;
    const byFile = new Map<string, Problem[]>([...this.#shown].map((file) => [file, []]));
    for (const problem of problems) byFile.set(problem.place.file, [...(byFile.get(problem.place.file) ?? []), problem]);
    this.#shown = new Set([...byFile].filter(([, list]) => list.length > 0).map(([file]) => file));
    for (const [file, list] of byFile) {
      const document = documentOf(textOf(now, file));
      await this.connection.sendDiagnostics({
        uri: uriOf(root, file),
        diagnostics: distinct(list).map((problem) => diagnosticOf(document, problem)),
      });
    }
  }
}

/** A layout's problems are found once for each of its templates. */
function distinct(problems: readonly Problem[]): Problem[] {
  return [...new Map(problems.map((problem) => [`${problem.place.offset} ${problem.code} ${problem.message}`, problem])).values()];
}
