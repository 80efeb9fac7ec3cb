// Writes standards.json anew from the registries' lists. In an empty folder:
//   npm install @webref/elements @webref/events @webref/idl @webref/css html-element-attributes svg-element-attributes aria-attributes
//   node update.mjs FOLDER > standards.json
import { readdirSync, readFileSync } from "node:fs";
import { createRequire } from "node:module";
import { join } from "node:path";
import { pathToFileURL } from "node:url";

const folder = process.argv[2];
const require = createRequire(pathToFileURL(join(folder, "package.json")));
const load = async (name) => import(pathToFileURL(require.resolve(name)));
const packageOf = (name) => JSON.parse(readFileSync(join(folder, "node_modules", name, "package.json"), "utf8"));
const unique = (names) => [...new Set(names)].sort();

const names = ["@webref/elements", "@webref/events", "@webref/idl", "@webref/css",
  "html-element-attributes", "svg-element-attributes", "aria-attributes"];
const versions = Object.fromEntries(names.map((name) => [name, packageOf(name).version]));

const elements = {};
const lists = await (await load("@webref/elements")).default.listAll();
for (const { spec, elements: found } of Object.values(lists)) {
  const kind = /svg|filter|masking/i.test(spec.title) ? "svg" : /mathml/i.test(spec.title) ? "math" : "html";
  elements[kind] = unique([...(elements[kind] ?? []), ...found.map(({ name }) => name)]);
}

const handlers = new Set();
const sinks = new Set();
const idl = join(folder, "node_modules/@webref/idl");
for (const file of readdirSync(idl).filter((name) => name.endsWith(".idl"))) {
  let owner = "";
  for (const line of readFileSync(join(idl, file), "utf8").split("\n")) {
    owner = /^(?:partial )?(?:interface|typedef)(?: mixin)? (\w+)/.exec(line)?.[1] ?? owner;
    const handler = /attribute (?:OnErrorEventHandler|OnBeforeUnloadEventHandler|EventHandler) (on\w+);/.exec(line);
    if (handler) handlers.add(handler[1]);
    if (/Trusted(?:HTML|ScriptURL|Script) or|or Trusted(?:HTML|ScriptURL|Script)\)/.test(line)) {
      const member = /^typedef/.test(line) ? /(\w+);$/.exec(line.trim())[1]
        : /\)\s*(\w+);/.exec(line)?.[1] ?? /(\w+)\s*\(\(?(?:DOMString position|Trusted)/.exec(line)?.[1];
      sinks.add(`${owner}.${member}`);
    } else if (/Trusted(?:HTML|ScriptURL|Script) create\w+\(/.test(line)) {
      sinks.add(`${owner}.${/(create\w+)\(/.exec(line)[1]}`);
    }
  }
}

const events = unique((await (await load("@webref/events")).default.listAll()).map(({ type }) => type));
const css = await (await load("@webref/css")).default.listAll();
const named = (list) => unique(list.map(({ name }) => name));
const { htmlElementAttributes: html } = await load("html-element-attributes");
const { svgElementAttributes: svg } = await load("svg-element-attributes");
const { ariaAttributes: aria } = await load("aria-attributes");

const inventory = {
  versions,
  elements,
  htmlAttributes: html,
  svgAttributes: unique(Object.values(svg).flat()),
  ariaAttributes: aria,
  handlers: [...handlers].sort(),
  events,
  sinks: [...sinks].sort(),
  atRules: named(css.atrules),
  selectors: named(css.selectors),
  functions: named(css.functions),
  properties: named(css.properties),
};
process.stdout.write(JSON.stringify(inventory) + "\n");
