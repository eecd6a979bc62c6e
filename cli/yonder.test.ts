import { spawnSync } from "node:child_process";
import { mkdtempSync, readFileSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { unzipSync, zipSync } from "fflate";
import { beforeAll, describe, expect, it } from "vitest";
import { scaleClip, sliceClip } from "@/core/audio/clip";
import { seededRandom } from "@/core/audio/random";
import { benchReportSchema } from "@/core/bench/report";
import { commitmentText } from "@/core/blind/commitment";
import { planRightOrWrong } from "@/core/blind/plan";
import { recordOf } from "@/core/blind/record";
import { compareReportSchema, measureReportSchema } from "@/core/difference/compare";
import { explainReportSchema } from "@/core/explain/explain";
import { writeWav } from "@/core/formats/wav-write";
import { shifted } from "@/core/stimuli/signals";
import { recording } from "@/core/testing/recordings";
import { finishedRun, stimulus } from "@/core/testing/runs";

const root = fileURLToPath(new URL("../", import.meta.url));
const folder = mkdtempSync(join(tmpdir(), "yonder-cli-"));

function run(...args: string[]) {
  const result = spawnSync("npm", ["--prefix", root, "run", "--silent", "compare", "--", ...args], {
    cwd: folder,
    encoding: "utf8",
  });
  // npm itself may warn of the machine's own configuration; what counts is what the command wrote.
  const stderr = result.stderr.split("\n").filter((line) => line && !line.startsWith("npm warn"));
  return { status: result.status, stdout: result.stdout, stderr };
}

beforeAll(() => {
  const dry = sliceClip(recording("guitar-48000"), 0, 96_000);
  writeFileSync(join(folder, "dry.wav"), writeWav(dry, "24-bit"));
  writeFileSync(join(folder, "late.wav"), writeWav(scaleClip(shifted(dry, 1234), 0.5), "32-bit float"));
  // A render that misses its last fifth, and whose file says that it is longer than it is.
  const short = writeWav(sliceClip(dry, 0, 76_800), "24-bit");
  new DataView(short.buffer).setUint32(40, 96_000 * 6, true);
  writeFileSync(join(folder, "short.wav"), short);
  writeFileSync(join(folder, "broken.wav"), "RIFF....WAVEnot really");
});

describe("the terminal", () => {
  it("prints the comparison as JSON, paths taken from where the person stands", () => {
    const { status, stdout, stderr } = run("--reference", "dry.wav", "late.wav", join(folder, "dry.wav"));
    expect(stderr).toEqual([]);
    expect(status).toBe(0);
    const report = compareReportSchema.parse(JSON.parse(stdout));
    expect(report.reference).toMatchObject({ file: "dry.wav", frames: 96_000, sampleRate: 48_000 });
    expect(report.renders.map((r) => r.file)).toEqual(["late.wav", "dry.wav"]);
    expect(report.renders[0].alignment).toMatchObject({ found: true, delaySamples: 1234, polarity: 1 });
    expect(report.renders[1].difference.identical).toBe("bit");
  });

  it("says what a reader remarks, and judges a short render on what it has", () => {
    const report = compareReportSchema.parse(JSON.parse(run("--reference", "dry.wav", "short.wav").stdout));
    expect(report.renders[0].remarks).toEqual([expect.stringContaining("cut short")]);
    expect(report.reference.remarks).toBeUndefined();
    expect(report.renders[0].match.gainDb).toBeCloseTo(0, 3);
    expect(report.renders[0].difference).toMatchObject({ identical: "bit", judgedShare: 0.8 });
    const measured = measureReportSchema.parse(JSON.parse(run("--measure", "short.wav").stdout));
    expect(measured.files[0].remarks).toHaveLength(1);
  });

  it("measures single files", () => {
    const { status, stdout } = run("--measure", "dry.wav", "late.wav");
    expect(status).toBe(0);
    const report = measureReportSchema.parse(JSON.parse(stdout));
    expect(report.files).toHaveLength(2);
    expect((report.files[1].loudness.truePeakDbtp ?? 0) - (report.files[0].loudness.truePeakDbtp ?? 0)).toBeCloseTo(
      -6.02,
      1,
    );
  });

  it.each([
    [["--measure", "missing.wav"], "missing.wav: no such file."],
    [["--measure", "broken.wav"], "broken.wav is damaged"],
    [["--reference", "dry.wav", "broken.wav"], "broken.wav is damaged"],
    [["--measure", "."], "."],
  ])("%j ends with code 2 and one line", (args, message) => {
    const { status, stdout, stderr } = run(...args);
    expect(status).toBe(2);
    expect(stdout).toBe("");
    expect(stderr).toHaveLength(1);
    expect(stderr[0]).toContain(message);
  });
});

describe("a command called wrongly", () => {
  it.each([
    [[], "missing required argument 'files'"],
    [["--reference", "dry.wav"], "missing required argument 'files'"],
    [["--nonsense", "dry.wav"], "--nonsense"],
  ])("%j ends with code 2, and shows every command on a line of its own", (args, message) => {
    const { status, stdout, stderr } = run(...args);
    expect([status, stdout]).toEqual([2, ""]);
    expect(stderr[0]).toContain(message);
    for (const command of ["compare", "measure", "explain", "verify", "signal", "bench"])
      expect(stderr.filter((line) => line.includes(`-- ${command} `)).length, command).toBeGreaterThan(0);
  });
});

describe("verifying a run from the terminal", () => {
  const verify = (...given: string[]) =>
    spawnSync("npm", ["--prefix", root, "run", "--silent", "yonder", "--", "verify", ...given], {
      cwd: folder,
      encoding: "utf8",
    });

  it("a record holds with exit code 0 and its verdict, one that was touched does not, with 1", async () => {
    const plan = planRightOrWrong({ kind: "abx", trials: 10 });
    const heard = await finishedRun(
      plan,
      [stimulus("Dry"), stimulus("Bus")],
      (s) => ({ side: s[1] === 0 ? "A" : "B" }),
      {
        random: seededRandom(5),
      },
    );
    const text = JSON.stringify(await recordOf(heard));
    writeFileSync(join(folder, "record.json"), text);
    const whole = verify("record.json");
    expect(whole.status).toBe(0);
    expect(JSON.parse(whole.stdout)).toMatchObject({ holds: true, verdict: { headline: "A difference was shown." } });
    writeFileSync(join(folder, "commitment.txt"), await commitmentText(heard, null));
    const committed = JSON.parse(verify("record.json", "--seal", "commitment.txt").stdout);
    expect(committed.checks.find((c: { name: string }) => c.name === "commitment").holds).toBe(true);
    const other = verify("record.json", "--seal", "0".repeat(64));
    expect([other.status, JSON.parse(other.stdout).holds]).toEqual([1, false]);
    expect(verify("record.json", "--seal", "record.json")).toMatchObject({
      status: 2,
      stderr: expect.stringContaining("record.json holds no commitment"),
    });
    writeFileSync(join(folder, "touched.json"), text.replace('"rightNeeded":9', '"rightNeeded":2'));
    const touched = verify("touched.json");
    expect(touched.status).toBe(1);
    expect(JSON.parse(touched.stdout)).toMatchObject({ holds: false, verdict: null });
  });

  it("what is no record is told in a line, with exit code 2", () => {
    for (const path of ["broken.wav", "nothing.json"]) {
      const { status, stdout, stderr } = verify(path);
      expect(status).toBe(2);
      expect(stdout).toBe("");
      expect(stderr).toContain(path);
    }
  });

  it("explains a pair, and says what is wrong with how it was asked", () => {
    const explain = (...args: string[]) => {
      const result = spawnSync("npm", ["--prefix", root, "run", "--silent", "yonder", "--", "explain", ...args], {
        cwd: folder,
        encoding: "utf8",
      });
      const stderr = result.stderr.split("\n").filter((line) => line && !line.startsWith("npm warn"));
      return { status: result.status, stdout: result.stdout, stderr };
    };
    const { status, stdout } = explain("--here", "dry.wav", "--yonder", "late.wav", "--to", "1.5");
    expect(status).toBe(0);
    const report = explainReportSchema.parse(JSON.parse(stdout));
    expect(report).toMatchObject({ here: "dry.wav", yonder: "late.wav", region: { startSeconds: 0, endSeconds: 1.5 } });
    expect(report.ladder[1]).toMatchObject({ step: "time", delaySamples: 1234, polarity: 1 });
    expect(report.ladder[2].gainDb).toBeCloseTo(-6.02, 2);
    expect(report.sentence.replaceAll("\u2009", " ")).toContain("Delay +1234 samples, level −6.02 dB.");
    expect(explain("--here", "dry.wav").stderr[0]).toContain("explain needs --here and --yonder");
    expect(explain("--here", "dry.wav", "--yonder", "late.wav", "--from", "soon").stderr[0]).toContain(
      "--from must be a number of seconds",
    );
    expect(explain("--here", "dry.wav", "--yonder", "broken.wav").stderr[0]).toContain("broken.wav");
    expect(explain("--here", "dry.wav", "--yonder", "late.wav", "--from", "30")).toMatchObject({ status: 2 });
  });

  it("checks an archive: audio bit for bit, levels measured again, runs; and says what was changed", () => {
    const source = readFileSync(join(root, "fixtures/archives/archive-1.zip"));
    writeFileSync(join(folder, "archive.zip"), source);
    const whole = verify("archive.zip");
    expect(whole.status).toBe(0);
    expect(JSON.parse(whole.stdout)).toMatchObject({
      schema: "yonder-pair/verify-archive@1",
      holds: true,
      title: "Harbour chime",
      counts: { renders: 3, runs: 1 },
    });
    // One sample of one file, reported as a checksum would have it that was changed along.
    const entries = unzipSync(source);
    const [name] = Object.keys(entries).filter((n) => n.endsWith(".wav"));
    entries[name][2000] ^= 1;
    writeFileSync(join(folder, "changed.zip"), zipSync(entries, { level: 0 }));
    const changed = verify("changed.zip");
    expect(changed.status).toBe(1);
    const { checks } = JSON.parse(changed.stdout);
    expect(checks.find((c: { name: string }) => c.name === "audio")).toMatchObject({
      holds: false,
      said: `${name} differs from what was archived.`,
    });
    // Levels that were written up.
    const index = new TextDecoder()
      .decode(entries["archive.json"])
      .replace(/"integratedLufs":-1\d/, (level) => `${level}1`);
    entries[name][2000] ^= 1;
    writeFileSync(join(folder, "louder.zip"), zipSync({ ...entries, "archive.json": new TextEncoder().encode(index) }));
    const louder = JSON.parse(verify("louder.zip").stdout);
    expect(louder.checks.filter((c: { holds: boolean }) => !c.holds).map((c: { name: string }) => c.name)).toEqual([
      "levels",
    ]);
    writeFileSync(join(folder, "cut.zip"), source.subarray(0, 5000));
    expect(verify("cut.zip")).toMatchObject({
      status: 2,
      stderr: expect.stringContaining("cut.zip is not a valid archive"),
    });
  });
});

/** The program itself, without npm around it. */
const yonder = (...args: string[]) => {
  const result = spawnSync(process.execPath, [join(root, "scripts/yonder.mjs"), ...args], {
    cwd: folder,
    env: { ...process.env, INIT_CWD: folder },
    encoding: "utf8",
    maxBuffer: 2 ** 26,
  });
  return { status: result.status, stdout: result.stdout, error: result.stderr.trim() };
};

describe("the bench from a terminal", () => {
  it("writes a test signal, and measures what came back of it", () => {
    const form = ["--rate", "8000", "--level", "-18", "--channels", "1"];
    const written = yonder("signal", ...form, "--out", "signal.wav");
    expect(written.error).toBe("");
    expect(JSON.parse(written.stdout)).toMatchObject({ sampleRateHz: 8000, levelDbfs: -18, channelCount: 1 });
    const same = yonder("bench", "--signal", "signal.wav", "--recording", "signal.wav");
    expect(same.error).toBe("");
    const report = benchReportSchema.parse(JSON.parse(same.stdout));
    expect(report).toMatchObject({
      latencySamples: null,
      polarity: 1,
      transparent: "yes",
      clockPpm: 0,
      fitted: [],
      static: null,
      integrity: [],
      kind: { name: "wire" },
    });
    // Held against itself as loop-back it has a latency, which is none.
    const looped = yonder("bench", "--recording", "signal.wav", "--loop-back", "signal.wav");
    expect(JSON.parse(looped.stdout)).toMatchObject({ latencySamples: 0 });
    expect(yonder("bench", "--loop-back", "signal.wav").error).toMatch(/needs a --recording/);
    expect(report.harmonics[0]).toMatchObject({ levelDbfs: -18, thdPercent: null });
    expect(report.sentences.join(" ")).toMatch(/bit for bit/);
    // A recording of something else, and a signal that is none.
    const other = yonder("bench", "--signal", "signal.wav", "--recording", "dry.wav");
    expect(other).toMatchObject({ status: 2, stdout: "" });
    expect(other.error).toMatch(/^dry\.wav holds no test signal/);
    expect(yonder("bench", "--signal", "dry.wav", "--recording", "signal.wav").error).toMatch(
      /dry\.wav is not a Yonder Pair test signal/,
    );
    yonder("signal", "--rate", "8000", "--channels", "1", "--out", "louder.wav");
    expect(yonder("bench", "--signal", "louder.wav", "--recording", "signal.wav").error).toMatch(
      /holds another test signal \(8000 Hz, -18 dBFS, mono\) than louder\.wav \(8000 Hz, -12 dBFS, mono\)/,
    );
  });

  it("measures a built-in processor at its settings", () => {
    const settings = { bands: [{ kind: "bell", frequencyHz: 1000, gainDb: 6, q: 1 }] };
    const told = yonder(
      "bench",
      "--processor",
      "bilinear-equalizer",
      "--settings",
      JSON.stringify(settings),
      "--rate",
      "16000",
    );
    expect(told.error).toBe("");
    const { fitted, phaseKind } = benchReportSchema.parse(JSON.parse(told.stdout));
    expect(phaseKind).toBe("minimum");
    expect(fitted).toHaveLength(1);
    expect(fitted[0].hertz / 1000).toBeCloseTo(1, 2);
    expect(fitted[0].gainDb).toBeCloseTo(6, 1);
  });

  it("says in one line what it was asked wrongly", () => {
    const cases: [string[], RegExp][] = [
      [["signal"], /^signal needs --out/],
      [["signal", "--rate", "12345", "--out", "x.wav"], /^--rate must be one of 8000, .*, not 12345\.$/],
      [
        ["signal", "--level", "3", "--out", "x.wav"],
        /^--level must be a whole number of dBFS from -40 to -1, not 3\.$/,
      ],
      [["signal", "--channels", "6", "--out", "x.wav"], /^--channels must be 1 or 2, not 6\.$/],
      [["bench"], /^bench needs --recording or --processor/],
      [["bench", "--processor", "magic"], /there is no processor "magic". There are: bilinear-equalizer,/],
      [["bench", "--processor", "gain", "--settings", "{"], /^--settings must be JSON/],
      [["bench", "--processor", "gain", "--settings", '{"gainDb": 999}'], /^--settings: gainDb: /],
      [["bench", "--recording", "broken.wav"], /^broken\.wav /],
    ];
    for (const [args, message] of cases)
      expect(yonder(...args)).toMatchObject({ status: 2, error: expect.stringMatching(message) });
  });
});
