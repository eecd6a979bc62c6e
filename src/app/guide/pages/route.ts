import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";

/** Read once, at the build: the guide stands as a file like any script. */
export const dynamic = "force-static";

const FOLDER = join(process.cwd(), "docs", "guide");

/** The chapters of the guide as they stand in `docs/guide`, in their order. */
export function GET(): Response {
  const pages = readdirSync(FOLDER)
    .filter((name) => name.endsWith(".md"))
    .sort()
    .map((name) => {
      const text = readFileSync(join(FOLDER, name), "utf8");
      return { name: name.replace(/\.md$/, ""), title: /^# (.*)$/m.exec(text)?.[1] ?? name, text };
    });
  return Response.json(pages);
}
