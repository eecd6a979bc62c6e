import { readdirSync, readFileSync } from "node:fs";
import { extname, join } from "node:path";
import { parseSync } from "oxc-parser";
import { describe, expect, it } from "vitest";
import { wordFaults } from "@/core/testing/word-rules";

/** Where texts stand that people read: labels, sentences, errors, tooltips. */
const FOLDERS = ["src/ui", "src/core", "src/store", "src/playback", "src/workers", "src/app", "cli"];
/** Attributes that hold no words. */
const NOT_WORDS = new Set([
  "className",
  "type",
  "role",
  "id",
  "href",
  "key",
  "d",
  "viewBox",
  "fill",
  "stroke",
  "style",
]);
/** Values that are stored, sent or compared, and never shown. */
const STORED = new Set([
  "told",
  "not told",
  "right or wrong",
  "left early",
  "onset shapes",
  "left spectra",
  "against dry",
  "over mask",
]);
/** A name with letters of both cases or a dash between, a class list, a path: code. */
const CODE = /^(use client|[a-z]+[A-Z]\w*|[\w@./-]*\/[\w@./-]*|[-\w:[\]/.%()#,]+)$/;
const CLASSES = /(^|\s)(-?[a-z]+[-:[][-\w:[\]/.%()#,]+)(\s|$)/;
/** Words that stand in sentences and in no class list. */
const ENGLISH = /[A-Z].* |\b(a|the|of|to|and|is|are|was|in|for|not|no|by|on|at|with|above|below|per|vs|re)\b(?![-:[/])/;

type Node = { type: string; start: number; [key: string]: unknown };
type Text = { line: number; text: string };

const isNode = (value: unknown): value is Node => typeof value === "object" && value !== null && "type" in value;

/** Every text of a source file; an expression within a template stands as "…". */
function textsIn(path: string): Text[] {
  const source = readFileSync(path, "utf8");
  const texts: Text[] = [];
  const add = (node: Node, text: string) => {
    const plain = text.replace(/\s+/g, " ").trim();
    if (!/[a-zA-Z]{2}/.test(plain) || CODE.test(plain) || STORED.has(plain)) return;
    if (plain.includes("…") && !plain.includes(" ")) return;
    if (CLASSES.test(plain) && !ENGLISH.test(plain)) return;
    texts.push({ line: source.slice(0, node.start).split("\n").length, text: plain });
  };
  const visit = (value: unknown): void => {
    if (Array.isArray(value)) for (const item of value) visit(item);
    if (!isNode(value)) return;
    const { type } = value;
    if (/^(Import|ExportAll)Declaration$|^TSLiteralType$|^RegExp/.test(type)) return;
    if (type === "JSXAttribute" && NOT_WORDS.has((value.name as { name?: string }).name ?? "")) return;
    // What is compared is a value, not a label.
    if (type === "BinaryExpression" || type === "SwitchCase") {
      for (const side of ["left", "right", "test", "consequent"]) {
        if (isNode(value[side]) && (value[side] as Node).type === "Literal") continue;
        visit(value[side]);
      }
      return;
    }
    if (type === "JSXText") add(value, value.value as string);
    else if (type === "Literal" && typeof value.value === "string") add(value, value.value);
    else if (type === "TemplateLiteral") {
      const quasis = value.quasis as { value: { cooked: string } }[];
      add(value, quasis.map((q) => q.value.cooked).join("…"));
    }
    for (const [key, part] of Object.entries(value)) if (key !== "parent") visit(part);
  };
  visit(parseSync(path, source).program);
  return texts;
}

const isSource = (name: string): boolean =>
  /\.tsx?$/.test(name) && !/\.test\./.test(name) && !/[\\/](testing|kernels)[\\/]|testing\.ts$/.test(name);

const sourcesIn = (folder: string): string[] =>
  readdirSync(folder, { recursive: true, encoding: "utf8" })
    .map((name) => join(folder, name))
    .filter((path) => extname(path) !== "" && isSource(path));

describe("every text in the source", () => {
  it.each(FOLDERS)("keeps the rules of words: %s", (folder) => {
    const faults = sourcesIn(folder).flatMap((path) =>
      textsIn(path).flatMap(({ line, text }) => wordFaults(text, false).map((fault) => `${path}:${line}: ${fault}`)),
    );
    expect(faults).toEqual([]);
  });

  it("is found: labels, attributes, templates and errors", () => {
    const texts = textsIn("src/ui/shell/transport.tsx").map(({ text }) => text);
    expect(texts).toEqual(expect.arrayContaining(["Level-matched (M)", "Mid on both channels", "Mono sum"]));
    expect(textsIn("src/core/words/files.ts").map(({ text }) => text)).toContain(
      "… decodes to more than …, the limit.",
    );
  });

  it("and in the guide, the README, the terminal's page and the figures: no retired word, and short sentences in the guide", () => {
    const guide = readdirSync("docs/guide").map((name) => join("docs/guide", name));
    const faults = [
      ...guide,
      "README.md",
      "docs/terminal.md",
      "docs/figures.md",
      "docs/house.md",
      "docs/dependencies.md",
      "docs/CONTRIBUTING.md",
    ].flatMap((path) =>
      readFileSync(path, "utf8")
        .split("\n")
        // The motto is the product's own; code and links are not words.
        .filter((line) => !line.startsWith("What does this processor"))
        .flatMap((line) => wordFaults(line.replace(/`[^`]*`/g, "code").replace(/\]\([^)]*\)/g, "]"), false))
        .filter((fault) => path.startsWith("docs/guide") || !/^\d+ words/.test(fault))
        .map((fault) => `${path}: ${fault}`),
    );
    expect(faults).toEqual([]);
  });
});
