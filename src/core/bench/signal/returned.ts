import { atRate } from "../../audio/resample";
import type { Sound } from "../../audio/sound";
import { fail, type Outcome, succeed } from "../../outcome";
import { type FoundMarker, findMarkers } from "./find-markers";
import { chirpOfFirstVersion } from "./marker";
import { formOfCode } from "./signal";
import { type SignalForm, type SignalPlan, signalPlan } from "./signal-plan";

/** A test signal found in a recording. */
export type Returned = {
  plan: SignalPlan;
  /** The recording at the signal's rate. */
  sound: Sound;
  /** Frame of `sound` that frame 0 of the signal was laid on by its first marker: a whole number. */
  atFrame: number;
  /** How many frames later its last marker came than that. */
  endsLateFrames: number;
  /** Likeness of the markers, 0 to 1. */
  likeness: number;
  recordedAtHz: number;
};

const EXPORT_AGAIN =
  "Export the test signal and play it all through the processor alone. Record from before the start to after the end, and add that file.";

/** What the two ends may be further apart than they were sent, or nearer (seconds): beyond that it was edited, or played at another speed. */
const MOST_APART_SECONDS = 0.5;

/** Finds a test signal in a recording, at any rate, with anything before and after it, and lays it on the signal. */
export function returnedFrom(file: string, recording: Sound): Outcome<Returned> {
  const markers = findMarkers(recording);
  const told = markers.flatMap((marker) => {
    const meaning = formOfCode(marker.code);
    return meaning ? [{ ...marker, ...meaning }] : [];
  });
  const pair = bestPair(told);
  if (!pair) return notWhole(file, recording, told, markers.length > 0);
  const { start, end, form, plan } = pair;
  const rate = form.sampleRateHz;
  const sound = atRate(recording, rate);
  const atFrame = Math.round(start.atSeconds * rate) - plan.marker.startFrame;
  const endsLateFrames = Math.round(end.atSeconds * rate) - plan.marker.endFrame - atFrame;
  const likeness = Math.min(start.likeness, end.likeness);
  return succeed({ plan, sound, atFrame, endsLateFrames, likeness, recordedAtHz: recording.sampleRateHz });
}

type ToldMarker = FoundMarker & { form: SignalForm; end: "start" | "end" };

const sameForm = (a: SignalForm, b: SignalForm) =>
  a.sampleRateHz === b.sampleRateHz && a.levelDbfs === b.levelDbfs && a.channelCount === b.channelCount;

/** A start and an end of one signal that stand as far apart as they should. */
function bestPair(told: readonly ToldMarker[]) {
  let best: { start: ToldMarker; end: ToldMarker; form: SignalForm; plan: SignalPlan; likeness: number } | null = null;
  const plans = new Map<string, SignalPlan>();
  for (const start of told) {
    if (start.end !== "start") continue;
    for (const end of told) {
      if (end.end !== "end" || end.channel !== start.channel || !sameForm(start.form, end.form)) continue;
      const key = JSON.stringify(start.form);
      const plan = plans.get(key) ?? signalPlan(start.form);
      plans.set(key, plan);
      const wanted = (plan.marker.endFrame - plan.marker.startFrame) / start.form.sampleRateHz;
      const late = end.atSeconds - start.atSeconds - wanted;
      const likeness = Math.min(start.likeness, end.likeness);
      if (Math.abs(late) > MOST_APART_SECONDS || (best && best.likeness >= likeness)) continue;
      best = { start, end, form: start.form, plan, likeness };
    }
  }
  return best;
}

/** A recording that begins no later than this in the signal holds its first marker. */
const BEGINS_WITHIN_SECONDS = 0.15;

/** Why a recording cannot be measured. */
function notWhole(file: string, recording: Sound, told: readonly ToldMarker[], anyMarker: boolean): Outcome<never> {
  const start = told.find(({ end }) => end === "start");
  const end = told.find((marker) => marker.end === "end");
  const length = recording.frames / recording.sampleRateHz;
  if (start && end)
    return fail(
      `${file} holds the start and end of a test signal at another distance: it was cut, edited or played at another speed.`,
      EXPORT_AGAIN,
    );
  if (start) {
    const { marker } = signalPlan(start.form);
    const endsAt = start.atSeconds + (marker.endFrame - marker.startFrame) / start.form.sampleRateHz + 0.4;
    const missing = endsAt - length;
    if (missing > 0)
      return fail(
        `${file} is cut: the test signal starts at ${start.atSeconds.toFixed(1)} s, and the recording ends ${missing.toFixed(1)} s before the signal does.`,
        EXPORT_AGAIN,
      );
    return fail(
      `The end marker of the test signal was not found in ${file}: the recording changes it too much.`,
      EXPORT_AGAIN,
    );
  }
  if (end) {
    const { frames, marker } = signalPlan(end.form);
    const [seconds, endsAt] = [frames, marker.endFrame].map((n) => n / end.form.sampleRateHz);
    // Where the signal's first frame would lie.
    const beginsAt = end.atSeconds - endsAt;
    return fail(
      beginsAt < -BEGINS_WITHIN_SECONDS
        ? `${file} is cut: it starts after the test signal and holds only its last ${(seconds + beginsAt).toFixed(1)} s.`
        : `The start marker of the test signal was not found in ${file}: the recording changes it too much.`,
      EXPORT_AGAIN,
    );
  }
  if (findMarkers(recording, chirpOfFirstVersion).some(({ code }) => formOfCode(code)))
    return fail(`${file} holds a test signal of an earlier version, without marks along the signal.`, EXPORT_AGAIN);
  return fail(
    anyMarker
      ? `${file} holds markers like those of a test signal, but changed too much to be identified.`
      : `${file} holds no test signal: no marker was found.`,
    EXPORT_AGAIN,
  );
}
