import type { Clip } from "../audio/clip";
import { atRate } from "../audio/resample";
import { type Sound, soundOf } from "../audio/sound";
import { fail, type Outcome, succeed } from "../outcome";
import { type Chain, chainLatencySamples, runChain } from "../processors/chain";
import { benchSentences } from "../words/bench";
import { bearingOf, checked } from "./integrity/integrity";
import { measureProcessor } from "./measure";
import { sidechainResponse } from "./read/sidechain-response";
import type { BenchReport } from "./report";
import { returnedFrom } from "./signal/returned";
import { testSignal } from "./signal/signal";
import { DEFAULT_FORM, type SignalForm, signalPlan } from "./signal/signal-plan";

/** Reported between parts of a measurement: the share done and what is done next. */
export type Pause = (share: number, doing: string) => void;

const described = ({ sampleRateHz, levelDbfs, channelCount }: SignalForm) =>
  `${sampleRateHz} Hz, ${levelDbfs} dBFS, ${channelCount === 1 ? "mono" : "stereo"}`;

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

/** Measures a chain of built-in processors; its latency is what a host without compensation would add. */
export function benchChain(chain: Chain, form: SignalForm = DEFAULT_FORM, pause: Pause = () => {}): BenchReport {
  const plan = signalPlan(form);
  const signal = signalOf(form);
  pause(0, "Sending the test signal through");
  const out = runChain(soundOf(signal), chain);
  const back = atRate(out, form.sampleRateHz);
  const isConverted = out.sampleRateHz !== form.sampleRateHz;
  const report = measureProcessor(
    {
      plan,
      sent: signal.channels,
      bearing: bearingOf(back, plan),
      takenOffSamples: chainLatencySamples(chain, form.sampleRateHz),
      arrivedAtSamples: null,
      delivered: isConverted ? out : back,
      remarks: isConverted ? [`Changes the rate to ${out.sampleRateHz} Hz; figures end at the lower Nyquist.`] : [],
    },
    pause,
  );
  const facts = { ...report, key: sidechainResponse(chain, plan, signal) };
  return { ...facts, sentences: benchSentences(facts) };
}

/** Measures what came back of a test signal in a recording; it is found, checked and laid on the signal first. */
export function benchRecording(
  file: string,
  recording: Sound,
  pause: Pause = () => {},
  expected: { file: string; form: SignalForm } | null = null,
): Outcome<BenchReport> {
  pause(0, "Finding the test signal");
  const returned = returnedFrom(file, recording);
  if (!returned.ok) return returned;
  const { plan, sound, recordedAtHz } = returned.value;
  const held = described(plan.form);
  if (expected && described(expected.form) !== held)
    return fail(
      `${file} holds another test signal (${held}) than ${expected.file} (${described(expected.form)}).`,
      "Give the signal that was sent, or leave out --signal: the recording identifies its signal.",
    );
  const { channels: sent } = signalOf(plan.form);
  pause(0.05, "Checking the recording");
  const bearing = checked(returned.value, sent);
  const remarks = [
    ...(recordedAtHz === plan.form.sampleRateHz
      ? []
      : [
          `Recorded at ${recordedAtHz} Hz, converted to ${plan.form.sampleRateHz} Hz; figures end at the lower Nyquist.`,
        ]),
    ...(sound.channelCount < plan.form.channelCount ? ["One channel recorded of two sent."] : []),
  ];
  return succeed(
    measureProcessor(
      {
        plan,
        sent,
        bearing,
        takenOffSamples: null,
        arrivedAtSamples: returned.value.atFrame,
        delivered: recording,
        remarks,
      },
      pause,
    ),
  );
}
