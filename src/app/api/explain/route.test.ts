import { describe, expect, it } from "vitest";
import { sliceClip } from "@/core/audio/clip";
import { explainReportSchema } from "@/core/explain/explain";
import { writeWav } from "@/core/formats/wav-write";
import { shifted } from "@/core/stimuli/signals";
import { recording } from "@/core/testing/recordings";
import { POST } from "./route";

const guitar = sliceClip(recording("guitar-48000"), 0, 96_000);
const here = new File([writeWav(guitar, "24-bit")], "here.wav");
const yonder = new File([writeWav(shifted(guitar, 12), "24-bit")], "yonder.wav");

async function sent(parts: [string, File | string][]) {
  const form = new FormData();
  for (const [name, part] of parts) form.append(name, part);
  const response = await POST(new Request("http://localhost/api/explain", { method: "POST", body: form }));
  return { status: response.status, body: (await response.json()) as Record<string, never> };
}

describe("POST /api/explain", () => {
  it("answers with what the terminal prints, over the stretch asked for", async () => {
    const { status, body } = await sent([
      ["here", here],
      ["yonder", yonder],
      ["from", "0.5"],
      ["to", "1.5"],
    ]);
    expect(status).toBe(200);
    const report = explainReportSchema.parse(body);
    expect(report).toMatchObject({
      here: "here.wav",
      yonder: "yonder.wav",
      region: { startSeconds: 0.5, endSeconds: 1.5 },
    });
    expect(report.ladder[1]).toMatchObject({ delaySamples: 12, residualDb: null });
    expect(report.sentence.replaceAll("\u2009", " ")).toBe(
      "Delay +12 samples. Apart from that every sample is the same.",
    );
  });

  it("says what is missing or no number, and how to send it", async () => {
    const reason = async (parts: [string, File | string][]) => {
      const { status, body } = await sent(parts);
      expect(status).toBe(400);
      const { error } = body as unknown as { error: { reason: string; advice: string } };
      expect(error.advice).toContain("curl -F here=@a.wav");
      return error.reason;
    };
    expect(await reason([["here", here]])).toBe("exactly one file named yonder is needed.");
    expect(
      await reason([
        ["here", here],
        ["yonder", yonder],
        ["from", "soon"],
      ]),
    ).toBe("from must be a number of seconds.");
    expect(
      await reason([
        ["here", "a.wav"],
        ["yonder", yonder],
      ]),
    ).toBe("here must be a file.");
  });
});
