import { readdirSync } from "node:fs";
import { tmpdir } from "node:os";
import { describe, expect, it } from "vitest";
import { compareReportSchema } from "@/core/difference/compare";
import { writeWav } from "@/core/formats/wav-write";
import { shifted } from "@/core/stimuli/signals";
import { recording } from "@/core/testing/recordings";
import { POST } from "./route";

const guitar = recording("guitar-48000");
const dry = new File([writeWav(guitar, "24-bit")], "dry.wav");
const late = new File([writeWav(shifted(guitar, 12), "24-bit")], "late.wav");

function sent(parts: [string, File | string][]): Promise<Response> {
  const form = new FormData();
  for (const [name, part] of parts) form.append(name, part);
  return POST(new Request("http://localhost/api/compare", { method: "POST", body: form }));
}

async function refusal(response: Response) {
  const { error } = (await response.json()) as { error: { reason: string; advice: string } };
  return { status: response.status, ...error };
}

describe("POST /api/compare", () => {
  it("answers with what the terminal prints", async () => {
    const response = await sent([
      ["reference", dry],
      ["render", late],
    ]);
    expect(response.status).toBe(200);
    const report = compareReportSchema.parse(await response.json());
    expect(report.reference.file).toBe("dry.wav");
    expect(report.renders[0]).toMatchObject({ file: "late.wav", alignment: { found: true, delaySamples: 12 } });
  });

  it("says what is missing, and how to send it", async () => {
    expect(await refusal(await sent([["reference", dry]]))).toMatchObject({
      status: 400,
      reason: "at least one file named render is needed.",
      advice: expect.stringContaining("curl -F reference=@dry.wav"),
    });
    expect(await refusal(await sent([["render", late]]))).toMatchObject({ status: 400 });
    const text = await sent([
      ["reference", dry],
      ["render", "a.wav"],
    ]);
    expect(await refusal(text)).toMatchObject({ status: 400, reason: "render must be a file." });
  });

  it("refuses what is no form, a broken form, and too much", async () => {
    const post = (init: RequestInit) => POST(new Request("http://localhost/api/compare", { method: "POST", ...init }));
    expect(await refusal(await post({ body: "{}" }))).toMatchObject({ status: 415 });
    const headers = { "content-type": "multipart/form-data; boundary=x" };
    expect(await refusal(await post({ headers, body: "nothing of the kind" }))).toMatchObject({ status: 400 });
    const huge = { ...headers, "content-length": "2000000000" };
    expect(await refusal(await post({ headers: huge, body: "--x" }))).toMatchObject({ status: 413 });
    const chunked = { ...headers, "transfer-encoding": "chunked" };
    expect(await refusal(await post({ headers: chunked, body: "--x" }))).toMatchObject({ status: 411 });
    const many = Array.from({ length: 17 }, (): [string, File] => ["render", late]);
    expect(await refusal(await sent([["reference", dry], ...many]))).toMatchObject({ status: 400 });
  });

  it("says when too many wait, and takes the next when one has gone", async () => {
    const uploads = () => readdirSync(tmpdir()).filter((name) => name.startsWith("yonder-upload-"));
    const before = uploads();
    const waiting = new AbortController();
    /** A form that has begun and never ends. */
    const endless = () => {
      const body = new ReadableStream({ start: (c) => c.enqueue(new TextEncoder().encode("--x\r\n")) });
      const headers = { "content-type": "multipart/form-data; boundary=x" };
      const init = { method: "POST", headers, body, duplex: "half", signal: waiting.signal };
      return POST(new Request("http://localhost/api/compare", init as RequestInit));
    };
    const answers: Promise<Response>[] = [];
    let refused: Response | null = null;
    for (let n = 0; n < 100 && !refused; n++) {
      const answer = await sent([["reference", dry]]);
      if (answer.status === 429) refused = answer;
      else answers.push(endless());
    }
    // Who sends on and on, or nothing at all, is turned away as well.
    expect((await endless()).status).toBe(429);
    expect(refused?.headers.get("Retry-After")).toBe("10");
    expect(await refusal(refused ?? new Response())).toMatchObject({
      status: 429,
      reason: expect.stringContaining("Too many"),
    });
    expect(answers.length).toBeGreaterThanOrEqual(9);
    // Their askers go away: what was taken for them is given back, and nothing of it stays on the disk.
    waiting.abort();
    for (const answer of answers) expect((await answer).status).toBe(400);
    expect(uploads()).toEqual(before);
    expect((await sent([["reference", dry]])).status).toBe(400);
  });

  it("gives up a comparison whose asker has gone", async () => {
    const form = new FormData();
    for (const [name, file] of [
      ["reference", dry],
      ["render", late],
    ] as const)
      form.append(name, file);
    const gone = new AbortController();
    const answer = POST(
      new Request("http://localhost/api/compare", { method: "POST", body: form, signal: gone.signal }),
    );
    setTimeout(() => gone.abort(), 150);
    expect([400, 499]).toContain((await answer).status);
    expect((await sent([["reference", dry]])).status).toBe(400);
  });

  it("names the file that cannot be read", async () => {
    const broken = new File(["not audio at all"], "notes.wav");
    const answer = await sent([
      ["reference", dry],
      ["render", broken],
    ]);
    expect(await refusal(answer)).toMatchObject({ status: 422, reason: expect.stringContaining("notes.wav") });
  });
});
