"use strict";

const vscode = require("vscode");
const { LanguageClient } = require("vscode-languageclient/node");

const LANGUAGES = ["html", "xml", "svg", "plaintext"];

/** @type {LanguageClient | undefined} */
let client;

/** Start the language server in the folder of the project. */
async function start() {
  const folder = vscode.workspace.workspaceFolders?.[0]?.uri;
  const settings = vscode.workspace.getConfiguration("untor", folder);
  const [command, ...args] = settings.get("command", ["untor", "language-server"]);
  const middleware = settings.get("formatting", true)
    ? {}
    : {
        provideDocumentFormattingEdits: () => [],
        provideDocumentRangeFormattingEdits: () => [],
      };
  client = new LanguageClient(
    "untor",
    "Untor",
    { command, args, options: { cwd: folder?.fsPath } },
    {
      documentSelector: LANGUAGES.map((language) => ({ scheme: "file", language })),
      middleware,
    },
  );
  try {
    await client.start();
  } catch (error) {
    client = undefined;
    const trouble = error instanceof Error ? error.message : String(error);
    vscode.window.showErrorMessage(
      `Untor: "${[command, ...args].join(" ")}" did not start: ${trouble}. ` +
        `Install it with pip install "untor[language-server]", or set untor.command.`,
    );
  }
}

/** Start the server again, with the settings and the Python code as they are now. */
async function restart() {
  await client?.stop();
  client = undefined;
  await start();
}

exports.activate = async (context) => {
  context.subscriptions.push(
    vscode.commands.registerCommand("untor.restart", restart),
    vscode.workspace.onDidChangeConfiguration((change) => change.affectsConfiguration("untor") && restart()),
  );
  await start();
};

exports.deactivate = () => client?.stop();
