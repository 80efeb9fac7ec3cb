// Prints the tokens of a text, with their scopes: node tokens.js FOLDER_OF_PACKAGES GRAMMAR HOSTS SCOPE < TEXT
"use strict";

const fs = require("fs");
const path = require("path");

const [, , packages, grammar, hosts, scope] = process.argv;
const textmate = require(path.join(packages, "vscode-textmate"));
const oniguruma = require(path.join(packages, "vscode-oniguruma"));
const INJECTED = "untor.injection";

async function main() {
  await oniguruma.loadWASM(fs.readFileSync(path.join(packages, "vscode-oniguruma/release/onig.wasm")));
  const known = new Map(JSON.parse(fs.readFileSync(hosts, "utf8")).map((each) => [each.scopeName, each]));
  known.set(INJECTED, textmate.parseRawGrammar(fs.readFileSync(grammar, "utf8"), grammar));
  const registry = new textmate.Registry({
    onigLib: Promise.resolve({
      createOnigScanner: (patterns) => new oniguruma.OnigScanner(patterns),
      createOnigString: (text) => new oniguruma.OnigString(text),
    }),
    loadGrammar: async (name) => known.get(name) ?? null,
    getInjections: (name) => (name.startsWith("text.") ? [INJECTED] : []),
  });
  const loaded = await registry.loadGrammar(scope);
  let state = textmate.INITIAL;
  const lines = fs.readFileSync(0, "utf8").split("\n");
  const result = lines.map((line) => {
    const found = loaded.tokenizeLine(line, state);
    state = found.ruleStack;
    return found.tokens.map((token) => [line.slice(token.startIndex, token.endIndex), token.scopes]);
  });
  process.stdout.write(JSON.stringify(result));
}

main();
