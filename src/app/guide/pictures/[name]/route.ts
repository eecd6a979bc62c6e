import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";

/** Read once, at the build, as the text of the guide is. */
export const dynamic = "force-static";
export const dynamicParams = false;

const PICTURES = join(process.cwd(), "docs/screenshots");

export const generateStaticParams = (): { name: string }[] =>
  readdirSync(PICTURES)
    .filter((name) => name.endsWith(".png"))
    .map((name) => ({ name }));

/** A picture that stands in the guide. */
export async function GET(_: Request, { params }: { params: Promise<{ name: string }> }): Promise<Response> {
  const { name } = await params;
  return new Response(new Uint8Array(readFileSync(join(PICTURES, name))), { headers: { "Content-Type": "image/png" } });
}
