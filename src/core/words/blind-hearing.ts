import type { HearingResult } from "../blind/hearing";
import { kilohertz } from "./units";

/** What a hearing check found, in a sentence. */
export function hearingSentence(result: HearingResult): string {
  if (!result.known) return "No result: a tone was reported in silence. Try again in a quieter room.";
  const { highestHz, nextHz } = result;
  if (highestHz === null) return `No tone down to ${kilohertz(nextHz ?? 0)} was heard. Check the volume.`;
  return nextHz === null
    ? `Heard up to ${kilohertz(highestHz)}, the highest tried.`
    : `Heard up to ${kilohertz(highestHz)}; ${kilohertz(nextHz)} was not.`;
}
