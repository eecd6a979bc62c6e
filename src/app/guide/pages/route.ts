import { readdirSync, readFileSync } from "node:fs";
import { basename, join } from "node:path";

/** Read once, at the build: the guide stands as a file like any script. */
export const dynamic = "force-static";

const DOCS = join(process.cwd(), "docs");

/** The chapters of the guide as they stand in `docs/guide`, in their order, and how figures are computed. */
export function GET(): Response {
  const chapters = readdirSync(join(DOCS, "guide")).filter((name) => name.endsWith(".md"));
  const paths = [...chapters.sort().map((name) => join("guide", name)), "figures.md"];
  const pages = paths.map((path) => {
    const text = readFileSync(join(DOCS, path), "utf8");
    return { name: basename(path, ".md"), title: /^# (.*)$/m.exec(text)?.[1] ?? path, text };
  });
  return Response.json(pages);
}
