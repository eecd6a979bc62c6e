import { atRate } from "../audio/resample";
import { type Sound, soundOf, stretch } from "../audio/sound";
import type { Clip } from "../audio/clip";
import { fail, type Outcome, succeed } from "../outcome";
import { type Chain, chainLatencySamples, runChain } from "../processors/chain";
import { clippedSamples } from "./housekeeping";
import { measured } from "./measure";
import type { BenchReport } from "./report";
import { returnedFrom } from "./returned";
import { testSignal } from "./signal";
import { DEFAULT_FORM, type SignalForm, signalPlan } from "./signal-plan";

type Pause = (share: number, doing: string) => void;

/** Signals take a while to make, and a program measures many things by one. */
const made = new Map<string, Clip>();

function signalOf(form: SignalForm): Clip {
  const key = JSON.stringify(form);
  const known = made.get(key);
  if (known) return known;
  made.clear();
  const clip = testSignal(signalPlan(form));
  made.set(key, clip);
  return clip;
}

/** Measures a chain of built-in processors; its delay is what a host without compensation would add. */
export function benchChain(chain: Chain, form: SignalForm = DEFAULT_FORM, pause: Pause = () => {}): BenchReport {
  const plan = signalPlan(form);
  const signal = signalOf(form);
  pause(0, "Sending the test signal through");
  const sent = soundOf(signal);
  const out = runChain(sent, chain);
  const back = atRate(out, form.sampleRateHz);
  const remarks =
    out.sampleRateHz === form.sampleRateHz
      ? []
      : [`It changes the rate to ${out.sampleRateHz} Hz; what is told was converted back: nothing above half of the lower rate can be told.`];
  return measured(
    {
      plan,
      sent: signal.channels,
      back,
      takenOffSamples: chainLatencySamples(chain, form.sampleRateHz),
      clockPpm: 0,
      delivered: out,
      remarks,
    },
    pause,
  );
}

/** Measures what came back of a test signal in a recording; it is found and laid on the signal first. */
export function benchRecording(file: string, recording: Sound, pause: Pause = () => {}): Outcome<BenchReport> {
  pause(0, "Looking for the test signal");
  const returned = returnedFrom(file, recording);
  if (!returned.ok) return returned;
  const { plan, back, atFrame, clockPpm, remarks } = returned.value;
  const heard = stretch(recording, {
    startFrame: 0,
    endFrame: recording.frames,
  });
  const clipped = clippedSamples(heard);
  if (clipped > 0)
    return fail(
      `${file} is clipped: ${clipped} samples stand at full scale in rows, so levels, harmonics and folding cannot be told.`,
      "Record it again with the recorder's input turned down, or export the test signal at a lower level.",
    );
  return succeed(
    measured(
      {
        plan,
        sent: signalOf(plan.form).channels,
        back,
        takenOffSamples: atFrame,
        clockPpm,
        delivered: recording,
        remarks,
      },
      pause,
    ),
  );
}
