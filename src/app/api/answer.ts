import type { Outcome } from "@/core/outcome";
import { RETRY_AFTER_SECONDS, takeSeat } from "./pool";
import { receive, takeAway, type Upload } from "./upload";

/** Bytes taken in one request at the most: ten minutes of 24-bit stereo at 96 kHz, twice over, with room. */
const MOST_BYTES = 1_000_000_000;
/** What a form adds around its files. */
const FORM_BYTES = 100_000;

/** What a route takes and does. */
export type FormRoute<Report> = {
  /** How to send it, with an example. */
  advice: string;
  /** Names of fields that are to be files. */
  fileFields: readonly string[];
  /** What is wrong with the form, in words; null where it is as it should be. */
  problem(upload: Upload): string | null;
  run(upload: Upload, signal: AbortSignal): Promise<Outcome<Report>>;
};

/** An answer that says what was wrong with the request and what to do. */
const refused = (status: number, reason: string, advice: string, headers: HeadersInit = {}) =>
  Response.json({ error: { reason, advice } }, { status, headers });

const tooLarge = () =>
  refused(413, `The files are larger than ${MOST_BYTES / 1e6} MB together.`, "Send fewer or shorter files at once.");

async function answered<Report>(request: Request, route: FormRoute<Report>): Promise<Response> {
  const { advice } = route;
  let upload: Upload;
  try {
    upload = await receive(request, MOST_BYTES);
  } catch {
    return refused(400, "The form data is invalid.", advice);
  }
  try {
    if (upload.isTooLarge) return tooLarge();
    const asText = route.fileFields.find((field) => upload.otherFields.some(({ name }) => name === field));
    const problem = asText ? `${asText} must be a file.` : route.problem(upload);
    if (problem) return refused(400, problem, advice);
    const report = await route.run(upload, request.signal);
    return report.ok ? Response.json(report.value) : refused(422, report.reason, report.advice);
  } catch (error) {
    // Nobody is there to be answered.
    if (request.signal.aborted) return new Response(null, { status: 499 });
    throw error;
  } finally {
    await takeAway(upload.folder);
  }
}

/** Of a request that is turned away, so much is read and let go: who is still sending when the door closes never hears why. */
const MOST_LET_GO_BYTES = 100_000_000;
/** Between two pieces that are let go, so that who is let in, and other pages, go first. */
const LET_GO_EVERY_MS = 5;
/** Nothing more is waited for when nothing has come for so long. */
const STALLED_MS = 1000;

async function letGoBy(request: Request): Promise<void> {
  const reader = request.body?.getReader();
  for (let bytes = 0; reader && bytes < MOST_LET_GO_BYTES; ) {
    let stalled: ReturnType<typeof setTimeout> | undefined;
    const nothing = new Promise<null>((resolve) => {
      stalled = setTimeout(() => resolve(null), STALLED_MS);
    });
    const piece = await Promise.race([reader.read().catch(() => null), nothing]);
    clearTimeout(stalled);
    if (!piece || piece.done) break;
    bytes += piece.value.length;
    await new Promise((next) => setTimeout(next, LET_GO_EVERY_MS));
  }
  void reader?.cancel().catch(() => undefined);
}

/**
 * Answers a form of files with JSON. 400 the form is not as it should be, 411 of untold length, 413 too large, 415 no form at all, 422 a file
 * is no audio that can be read, 429 too many at once.
 */
export async function answerForm<Report>(request: Request, route: FormRoute<Report>): Promise<Response> {
  const { advice } = route;
  if (!request.headers.get("content-type")?.toLowerCase().startsWith("multipart/form-data")) {
    return refused(415, "The request is not multipart/form-data.", advice);
  }
  if (request.headers.has("transfer-encoding")) return refused(411, "The request has no content length.", advice);
  if (Number(request.headers.get("content-length") ?? 0) > MOST_BYTES + FORM_BYTES) return tooLarge();
  const giveBack = takeSeat();
  if (!giveBack) {
    await letGoBy(request);
    return refused(429, "Too many comparisons are waiting.", `Try again in ${RETRY_AFTER_SECONDS} seconds.`, {
      "Retry-After": String(RETRY_AFTER_SECONDS),
    });
  }
  try {
    return await answered(request, route);
  } finally {
    giveBack();
  }
}
