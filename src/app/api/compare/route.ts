import { z } from "zod";
import { compareBytes } from "@/core/difference/compare-bytes";

/** Bytes taken in one request at the most: ten minutes of 24-bit stereo at 96 kHz, twice over, with room. */
const MOST_BYTES = 1_000_000_000;
const MOST_RENDERS = 16;

const filesSchema = z.object({
  reference: z.array(z.instanceof(File, { error: "reference is to be a file" })).length(1, {
    error: "exactly one file named reference is needed",
  }),
  render: z
    .array(z.instanceof(File, { error: "render is to be a file" }))
    .min(1, { error: "at least one file named render is needed" })
    .max(MOST_RENDERS, { error: `at most ${MOST_RENDERS} files named render are taken at once` }),
});

const ADVICE =
  "Send multipart/form-data with one file named reference and one or more named render, such as: curl -F reference=@dry.wav -F render=@a.wav http://localhost:3000/api/compare";

/** An answer that says what was wrong with the request and what to do. */
const refused = (status: number, reason: string, advice = ADVICE) =>
  Response.json({ error: { reason, advice } }, { status });

const tooLarge = () =>
  refused(413, `The files are larger than ${MOST_BYTES / 1e6} MB together.`, "Compare fewer or shorter files at once.");

async function formOf(request: Request): Promise<FormData | null> {
  try {
    return await request.formData();
  } catch {
    return null;
  }
}

const bytesOf = async (file: File) => ({ file: file.name, bytes: new Uint8Array(await file.arrayBuffer()) });

/**
 * Compares renders with a reference, for people who script their studio: the same JSON as `npm run compare` prints.
 * 400 the form is not as it should be, 411 of untold length, 413 too large, 415 no form at all, 422 a file is no audio that can be read.
 */
export async function POST(request: Request): Promise<Response> {
  if (!request.headers.get("content-type")?.toLowerCase().startsWith("multipart/form-data")) {
    return refused(415, "The request is not multipart/form-data.");
  }
  if (request.headers.has("transfer-encoding")) return refused(411, "The request does not say how long it is.");
  if (Number(request.headers.get("content-length") ?? 0) > MOST_BYTES) return tooLarge();
  const form = await formOf(request);
  if (!form) return refused(400, "The form could not be read.");
  const parsed = filesSchema.safeParse({ reference: form.getAll("reference"), render: form.getAll("render") });
  if (!parsed.success) return refused(400, `${parsed.error.issues.map((i) => i.message).join("; ")}.`);
  const { reference, render } = parsed.data;
  if ([...reference, ...render].reduce((sum, file) => sum + file.size, 0) > MOST_BYTES) return tooLarge();
  const compared = await compareBytes(await bytesOf(reference[0]), await Promise.all(render.map(bytesOf)));
  return compared.ok ? Response.json(compared.value) : refused(422, compared.reason, compared.advice);
}
