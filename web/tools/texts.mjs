// Keeps src/text/en.json: every text of the interface, and of the document's schema.
//   tenter schema | node tools/texts.mjs     writes it
//   node tools/texts.mjs --check             fails if the interface's part of it is not what the sources use
import console from "node:console";
import fs from "node:fs";
import path from "node:path";
import process from "node:process";
import { text as all } from "node:stream/consumers";
import ts from "typescript";

const FILE = "src/text/en.json";
/** Texts that come from elsewhere: the document's schema. */
const DYNAMIC = ["src/data/fields.ts"];

function sources(folder) {
  return fs.readdirSync(folder, { withFileTypes: true }).flatMap((entry) => {
    const at = path.join(folder, entry.name);
    return entry.isDirectory() ? sources(at) : /\.tsx?$/.test(entry.name) ? [at] : [];
  });
}

/** The texts that one file hands to `t`. */
function textsOf(file) {
  const source = ts.createSourceFile(file, fs.readFileSync(file, "utf8"), ts.ScriptTarget.Latest, true);
  const texts = [];
  const visit = (node) => {
    if (ts.isCallExpression(node) && node.expression.getText(source) === "t") {
      const [text] = node.arguments;
      if (text && ts.isStringLiteralLike(text)) texts.push(text.text);
      else if (!DYNAMIC.includes(file)) {
        const { line } = source.getLineAndCharacterOfPosition(node.getStart(source));
        throw new Error(`${file}:${line + 1}: t() takes a text that stands there`);
      }
    }
    ts.forEachChild(node, visit);
  };
  visit(source);
  return texts;
}

/** Titles, help and choices of the document, as the Sheet shows them. */
function schemaTexts(node, texts = []) {
  if (Array.isArray(node)) node.forEach((inner) => schemaTexts(inner, texts));
  else if (node && typeof node === "object") {
    for (const [name, value] of Object.entries(node)) {
      if ((name === "title" || name === "description") && typeof value === "string") texts.push(value);
      else if (name === "const" && typeof value === "string") texts.push(readable(value));
      else if (name === "enum") texts.push(...value.map(readable));
      else schemaTexts(value, texts);
    }
  }
  return texts;
}
const readable = (value) => value.replaceAll("_", " ").replace(/^./, (c) => c.toUpperCase());

const same = (texts) => Object.fromEntries([...new Set(texts)].sort().map((text) => [text, text]));
const found = same(sources("src").flatMap(textsOf));
const kept = fs.existsSync(FILE) ? JSON.parse(fs.readFileSync(FILE, "utf8")) : {};
if (process.argv.includes("--check")) {
  const missing = Object.keys(found).filter((text) => !(text in kept.interface));
  const unused = Object.keys(kept.interface).filter((text) => !(text in found));
  for (const text of missing) console.error(`not in ${FILE}: ${text}`);
  for (const text of unused) console.error(`used nowhere, but in ${FILE}: ${text}`);
  process.exit(missing.length + unused.length > 0 ? 1 : 0);
}
const schema = JSON.parse(await all(process.stdin));
fs.writeFileSync(
  FILE,
  `${JSON.stringify({ interface: found, document: same(schemaTexts(schema)) }, null, 2)}\n`,
);
