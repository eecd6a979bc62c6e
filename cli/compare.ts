import { readFileSync } from "node:fs";
import { basename, resolve } from "node:path";
import { parseArgs } from "node:util";
import { type MeasureReport, measureFile } from "@/core/difference/compare";
import { compareBytes, type NamedBytes } from "@/core/difference/compare-bytes";
import { readAudio } from "@/core/formats/read-audio";
import type { Outcome } from "@/core/outcome";

const USAGE =
  "Use: npm run --silent compare -- --reference dry.wav a.wav [b.wav …], or npm run --silent compare -- --measure a.wav [b.wav …]";

/** npm runs scripts in the project's folder; paths on the command line are meant from where the person stands. */
const STANDING = process.env.INIT_CWD ?? process.cwd();

/** An expected failure, told in one line with the file's name. */
class CommandError extends Error {}

function bytesAt(path: string): NamedBytes {
  try {
    return { file: basename(path), bytes: readFileSync(resolve(STANDING, path)) };
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

async function measured(path: string) {
  const { file, bytes } = bytesAt(path);
  return measureFile({ file, ...taken(await readAudio(bytes, file)) });
}

function parseCommand(args: string[]) {
  try {
    return parseArgs({
      args,
      allowPositionals: true,
      options: { reference: { type: "string" }, measure: { type: "boolean" }, help: { type: "boolean", short: "h" } },
    });
  } catch (error) {
    throw new CommandError(`${error instanceof Error ? error.message.split("\n")[0] : "Unknown option."} ${USAGE}`);
  }
}

async function run(args: string[]): Promise<void> {
  const { values, positionals } = parseCommand(args);
  if (values.help) {
    console.log(USAGE);
    return;
  }
  if (positionals.length === 0 || (!values.measure && !values.reference)) throw new CommandError(USAGE);
  if (values.measure && values.reference) throw new CommandError(`--measure takes no --reference. ${USAGE}`);
  if (values.measure) {
    const report: MeasureReport = {
      schema: "yonder-pair/measure@1",
      files: await Promise.all(positionals.map(measured)),
    };
    console.log(JSON.stringify(report, null, 2));
    return;
  }
  const report = taken(await compareBytes(bytesAt(values.reference ?? ""), positionals.map(bytesAt)));
  console.log(JSON.stringify(report, null, 2));
}

try {
  await run(process.argv.slice(2));
} catch (error) {
  if (!(error instanceof CommandError)) throw error;
  console.error(error.message);
  process.exitCode = 2;
}
