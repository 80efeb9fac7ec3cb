// Enough of an editor to run the extension: node editor.js EXTENSION COMMAND, in a folder with page.html.
// Prints what the extension shows, and the number of problems that it finds in the page.
"use strict";

const fs = require("fs");
const Module = require("module");
const path = require("path");

const [, , extension, command] = process.argv;
const nothing = () => ({ dispose() {} });
const file = (name) => ({ scheme: "file", fsPath: name, toString: () => `file://${name}` });
const page = path.join(process.cwd(), "page.html");
const channel = { append() {}, appendLine() {}, info() {}, error() {}, warn() {}, debug() {}, trace() {}, show() {}, dispose() {}, logLevel: 2, onDidChangeLogLevel: nothing };

class Disposable {
  static from() {
    return new Disposable();
  }
  dispose() {}
}

class EventEmitter {
  listeners = [];
  event = (listener) => {
    this.listeners.push(listener);
    return new Disposable();
  };
  fire(event) {
    this.listeners.forEach((listener) => listener(event));
  }
  dispose() {}
}

// Whatever else the client asks for is an event that never comes, or a class.
const known = (own) =>
  new Proxy(own, {
    get(target, name) {
      if (name in target || typeof name === "symbol") return target[name];
      if (/^(on[A-Z]|register|create|set)/.test(name)) return nothing;
      if (/^[A-Z]/.test(name)) return (target[name] = known(class {}));
      return undefined;
    },
  });

class CancellationTokenSource {
  token = { isCancellationRequested: false, onCancellationRequested: nothing };
  cancel() {}
  dispose() {}
}

const editor = known({
  CancellationTokenSource,
  Disposable,
  EventEmitter,
  version: "1.91.0",
  Uri: known({ file, parse: (text) => file(text.replace("file://", "")) }),
  env: known({ appName: "editor", language: "en", logLevel: 2 }),
  workspace: known({
    workspaceFolders: [{ uri: file(process.cwd()), name: "site", index: 0 }],
    getConfiguration: () => ({ get: (name, usual) => (name === "command" ? JSON.parse(command) : usual) }),
    textDocuments: [{ uri: file(page), languageId: "html", version: 1, isClosed: false, getText: () => fs.readFileSync(page, "utf8") }],
    notebookDocuments: [],
    createFileSystemWatcher: () => ({ onDidCreate: nothing, onDidChange: nothing, onDidDelete: nothing, dispose() {} }),
  }),
  window: known({
    createOutputChannel: () => channel,
    showErrorMessage: async (text) => console.log("shown", text),
    visibleTextEditors: [],
    tabGroups: { all: [], onDidChangeTabs: nothing, onDidChangeTabGroups: nothing },
  }),
  languages: known({
    match: () => 1,
    createDiagnosticCollection: () => ({
      set: (uri, found) => {
        console.log("problems", found.length);
        finish();
      },
      delete() {},
      clear() {},
      dispose() {},
    }),
  }),
  commands: known({}),
});

const load = Module._load;
Module._load = (name, ...rest) => (name === "vscode" ? editor : load(name, ...rest));
const client = require(path.join(extension, "client.js"));

let finish = () => undefined;
const found = new Promise((resolve) => (finish = resolve));

async function main() {
  const context = { subscriptions: [] };
  await client.activate(context);
  console.log("active", context.subscriptions.length);
  if (JSON.parse(command).length > 1) await found;
  await client.deactivate();
  process.exit(0);
}

main().catch((error) => {
  console.log(error.stack);
  process.exit(1);
});
