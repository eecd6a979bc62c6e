import "./ffmpeg";
import { writeFileSync } from "node:fs";
import { basename, resolve } from "node:path";
import { Command, CommanderError } from "commander";
import { benchChain } from "@/core/bench/bench";
import { benchSources, benchWithLoopBack } from "@/core/bench/bench-sources";
import { type BenchReport, figuresOnly } from "@/core/bench/report";
import { testSignal } from "@/core/bench/signal/signal";
import {
  DEFAULT_FORM,
  HIGHEST_LEVEL_DBFS,
  LOWEST_LEVEL_DBFS,
  SIGNAL_RATES_HZ,
  type SignalForm,
  signalFormSchema,
  signalPlan,
} from "@/core/bench/signal/signal-plan";
import { type Commitment, commitmentIn } from "@/core/blind/commitment";
import { flawsOf } from "@/core/blind/flaws";
import { checkRecord, readRecord } from "@/core/blind/record";
import { type MeasureReport, measureFile } from "@/core/difference/compare";
import { compareSources } from "@/core/difference/compare-sources";
import { explainSources } from "@/core/explain/explain-sources";
import { soundProblem } from "@/core/formats/decoded-audio";
import type { NamedSource } from "@/core/formats/open-together";
import { openAudio } from "@/core/formats/read-audio";
import { writeWav } from "@/core/formats/wav-write";
import type { Outcome } from "@/core/outcome";
import { chainStageSchema } from "@/core/processors/chain";
import { PROCESSORS } from "@/core/processors/registry";
import { runVerdict } from "@/core/words/blind";
import { isZip, verifyArchive } from "./archive";
import { fileSource } from "./files";

/** npm runs scripts in the project's folder; paths on the command line are meant from where the person stands. */
const STANDING = process.env.INIT_CWD ?? process.cwd();

/** An expected failure, reported in one line with the file's name. */
class CommandError extends Error {}

function fileAt(path: string): NamedSource {
  try {
    return { file: basename(path), source: fileSource(resolve(STANDING, path)) };
  } catch (error) {
    const code = error instanceof Error && "code" in error ? error.code : "";
    throw new CommandError(code === "ENOENT" ? `${path}: no such file.` : `${path} cannot be read (${code}).`);
  }
}

/** The value of what went well; a failure in words otherwise. */
function taken<T>(outcome: Outcome<T>): T {
  if (!outcome.ok) throw new CommandError(`${outcome.reason} ${outcome.advice}`);
  return outcome.value;
}

const print = (report: unknown): void => console.log(JSON.stringify(report, null, 2));

async function measured(path: string) {
  const { file, source } = fileAt(path);
  const { sound, remarks } = taken(await openAudio(source, file));
  const problem = soundProblem(file, sound);
  if (problem) taken(problem);
  return measureFile({ file, sound, remarks });
}

async function measure(paths: readonly string[]): Promise<void> {
  const files: MeasureReport["files"] = [];
  for (const path of paths) files.push(await measured(path));
  print({ schema: "yonder-pair/measure@1", files } satisfies MeasureReport);
}

async function compare(referencePath: string, paths: readonly string[]): Promise<void> {
  print(taken(await compareSources(fileAt(referencePath), paths.map(fileAt))));
}

type ExplainOptions = { here?: string; yonder?: string; dry?: string; reference?: string; from?: string; to?: string };

function secondsOf(name: string, text: string | undefined): number | undefined {
  if (text === undefined) return undefined;
  const seconds = Number(text);
  if (text.trim() === "" || !(seconds >= 0))
    throw new CommandError(`--${name} must be a number of seconds, not ${text}.`);
  return seconds;
}

/** Explains the difference of a pair. */
async function explain({ here, yonder, reference, dry = reference, from, to }: ExplainOptions): Promise<void> {
  if (!here || !yonder) throw new CommandError(`explain needs --here and --yonder.\n${USAGE}`);
  const region = { from: secondsOf("from", from), to: secondsOf("to", to) };
  print(
    taken(
      await explainSources({ here: fileAt(here), yonder: fileAt(yonder), dry: dry ? fileAt(dry) : null, ...region }),
    ),
  );
}

/** A commitment as the digits themselves, or in a file. */
function commitmentAt(given: string): Commitment {
  const text = commitmentIn(given) ? given : new TextDecoder().decode(wholeFile(given));
  const commitment = commitmentIn(text);
  if (!commitment) throw new CommandError(`${given} holds no commitment: a line “seal:” with 64 hexadecimal digits.`);
  return commitment;
}

function wholeFile(path: string): Uint8Array {
  const { source } = fileAt(path);
  return source.read(0, source.byteLength);
}

/** Checks the record of a blind run, or an archive of a comparison, with nothing but its file. */
async function verify(path: string, seal: string | undefined): Promise<void> {
  const { file, source } = fileAt(path);
  if (isZip(source)) {
    const report = taken(await verifyArchive(file, source));
    print(report);
    if (!report.holds) process.exitCode = 1;
    return;
  }
  const text = new TextDecoder().decode(source.read(0, source.byteLength));
  const record = taken(readRecord(file, text, "Choose a file that was saved as a record."));
  const { checks, holds } = await checkRecord(record, seal === undefined ? null : commitmentAt(seal));
  const { plan, result, stimuli, sealDigest } = record.run;
  const titles = stimuli.map(({ title }) => title);
  print({
    schema: "yonder-pair/verify@1",
    file,
    holds,
    checks,
    sealDigest,
    verdict: result && holds ? runVerdict(plan, result, titles, flawsOf(record.run)) : null,
  });
  if (!holds) process.exitCode = 1;
}

type FormOptions = { rate?: string; level?: string; channels?: string };

function formOf({ rate, level, channels }: FormOptions): SignalForm {
  const numberOf = (text: string | undefined, usual: number) => (text === undefined ? usual : Number(text));
  const parsed = signalFormSchema.safeParse({
    sampleRateHz: numberOf(rate, DEFAULT_FORM.sampleRateHz),
    levelDbfs: numberOf(level, DEFAULT_FORM.levelDbfs),
    channelCount: numberOf(channels, DEFAULT_FORM.channelCount),
  });
  if (parsed.success) return parsed.data;
  const [field] = parsed.error.issues[0].path;
  throw new CommandError(
    field === "sampleRateHz"
      ? `--rate must be one of ${SIGNAL_RATES_HZ.join(", ")}, not ${rate}.`
      : field === "levelDbfs"
        ? `--level must be a whole number of dBFS from ${LOWEST_LEVEL_DBFS} to ${HIGHEST_LEVEL_DBFS}, not ${level}.`
        : `--channels must be 1 or 2, not ${channels}.`,
  );
}

/** Writes a test signal. */
function signal({ out, ...options }: FormOptions & { out?: string }): void {
  if (!out) throw new CommandError(`signal needs --out.\n${USAGE}`);
  const form = formOf(options);
  const plan = signalPlan(form);
  try {
    writeFileSync(resolve(STANDING, out), writeWav(testSignal(plan), "24-bit"));
  } catch (error) {
    const code = error instanceof Error && "code" in error ? error.code : "";
    throw new CommandError(`${out} cannot be written (${code}).`);
  }
  print({ schema: "yonder-pair/signal@1", file: basename(out), ...form, seconds: plan.frames / form.sampleRateHz });
}

const printBench = (report: BenchReport): void => print(figuresOnly(report));

type BenchOptions = FormOptions & {
  signal?: string;
  recording?: string;
  loopBack?: string;
  processor?: string;
  settings?: string;
};

/** Measures a recording of a test signal, or a built-in processor. */
async function bench({
  signal: sent,
  recording,
  loopBack,
  processor,
  settings,
  ...options
}: BenchOptions): Promise<void> {
  if (recording && processor) throw new CommandError("bench measures a --recording or a --processor, not both.");
  if (loopBack && !recording) throw new CommandError("--loop-back needs a --recording that it is removed from.");
  if (recording && loopBack) return printBench(taken(await benchWithLoopBack(fileAt(recording), fileAt(loopBack))));
  if (recording) return printBench(taken(await benchSources(fileAt(recording), sent ? fileAt(sent) : null)));
  if (!processor) throw new CommandError(`bench needs --recording or --processor.\n${USAGE}`);
  let given: unknown;
  try {
    given = JSON.parse(settings ?? "{}");
  } catch {
    throw new CommandError(`--settings must be JSON, such as '{"ratio": 4}', not ${settings}.`);
  }
  const stage = chainStageSchema.safeParse({ processorKey: processor, settings: given });
  if (!stage.success) {
    const [{ message, path }] = stage.error.issues;
    const known = PROCESSORS.map(({ key }) => key).join(", ");
    const isUnknown = !PROCESSORS.some(({ key }) => key === processor);
    throw new CommandError(
      isUnknown
        ? `${message}. There are: ${known}.`
        : `--settings: ${path.slice(1).join(".") || "settings"}: ${message}.`,
    );
  }
  printBench(benchChain([stage.data], formOf(options)));
}

const CALL = "npm run --silent yonder --";

/** One command a line, as it is typed. */
const USAGE = [
  "Use:",
  ...[
    "compare --dry dry.wav a.wav [b.wav …]",
    "measure a.wav [b.wav …]",
    "explain --here a.wav --yonder b.wav [--dry d.wav] [--from 4.3 --to 8.8]",
    "signal --rate 48000 --level -12 --channels 2 --out signal.wav",
    "bench --recording back.wav [--signal signal.wav] [--loop-back loop.wav]",
    "bench --processor bilinear-equalizer --settings '{…}'",
    "verify record.json [--seal commitment.txt]",
    "verify archive.zip",
  ].map((command) => `  ${CALL} ${command}`),
].join("\n");

/** A program whose errors are one line and the usage, and which never ends the process itself. */
const quiet = (command: Command): Command =>
  command.exitOverride().configureOutput({ writeErr: () => {}, outputError: () => {} });

function programme(): Command {
  const program = quiet(new Command("yonder")).description("Compares renders from a terminal; prints JSON.");
  quiet(program.command("compare"))
    .description("levels, alignment, match and residuals of renders re the dry render")
    .option("--dry <file>", "the dry render")
    .option("--reference <file>", "the same as --dry")
    .option("--measure", "measure single files, as `yonder measure` does")
    .argument("<files...>", "renders")
    .action((paths: string[], options: { dry?: string; reference?: string; measure?: boolean }) => {
      const dry = options.dry ?? options.reference;
      if (options.measure && dry) throw new CommandError(`--measure takes no --dry.\n${USAGE}`);
      if (options.measure) return measure(paths);
      if (!dry) throw new CommandError(USAGE);
      return compare(dry, paths);
    });
  quiet(program.command("measure"))
    .description("loudness, range and peaks of files")
    .argument("<files...>", "files")
    .action(measure);
  quiet(program.command("explain"))
    .description("causes of the difference of two renders, and where to listen")
    .option("--here <file>", "one render")
    .option("--yonder <file>", "the other")
    .option("--dry <file>", "the dry render both are aligned to")
    .option("--reference <file>", "the same as --dry")
    .option("--from <seconds>", "start in the passage")
    .option("--to <seconds>", "end in the passage")
    .action(explain);
  const formed = (command: Command) =>
    quiet(command)
      .option("--rate <hertz>", "the signal's sample rate")
      .option("--level <dBFS>", "peak level of the signal")
      .option("--channels <count>", "1 or 2");
  formed(program.command("signal"))
    .description("writes a test signal, to send through a processor and record")
    .option("--out <file>", "the WAV file to write")
    .action(signal);
  formed(program.command("bench"))
    .description("measures a recording of the test signal, or a built-in processor")
    .option("--signal <file>", "the test signal that was sent")
    .option("--recording <file>", "the recording")
    .option(
      "--loop-back <file>",
      "the signal recorded without the processor; its latency, response and noise are removed",
    )
    .option("--processor <key>", "a built-in processor")
    .option("--settings <json>", "its settings; others stay at their defaults")
    .action(bench);
  quiet(program.command("verify"))
    .description("checks the record of a blind run, or an archive with its audio, levels and runs")
    .argument("<file>", "a run record, or an archive")
    .option(
      "--seal <commitment>",
      "the commitment handed over before the first trial: its file, or the 64 digits of the seal",
    )
    .action((path: string, { seal }: { seal?: string }) => verify(path, seal));
  return program;
}

try {
  await programme().parseAsync();
} catch (error) {
  if (error instanceof CommanderError) {
    // Help was asked for, and given.
    if (error.exitCode !== 0) {
      console.error(`${error.message.replace(/^error: /, "")}.\n${USAGE}`);
      process.exitCode = 2;
    }
  } else if (error instanceof CommandError) {
    console.error(error.message);
    process.exitCode = 2;
  } else throw error;
}
