import type { Clip } from "../audio/clip";
import { atRate } from "../audio/resample";
import { type Sound, soundOf } from "../audio/sound";
import { fail, type Outcome, succeed } from "../outcome";
import { type Chain, chainLatencySamples, runChain } from "../processors/chain";
import { measured } from "./measure";
import { clippedRows } from "./read/housekeeping";
import { keyResponse, keySentence } from "./read/key-response";
import type { BenchReport } from "./report";
import { returnedFrom } from "./signal/returned";
import { testSignal } from "./signal/signal";
import { DEFAULT_FORM, type SignalForm, signalPlan } from "./signal/signal-plan";

/** Told between parts of a measurement: the share done and what is done next. */
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
      : [
          `It changes the rate to ${out.sampleRateHz} Hz; what is told was converted back: nothing above half of the lower rate can be told.`,
        ];
  const report = measured(
    {
      plan,
      sent: signal.channels,
      back,
      takenOffSamples: chainLatencySamples(chain, form.sampleRateHz),
      clockPpm: 0,
      isClipped: () => false,
      delivered: out === back ? null : out,
      remarks,
    },
    pause,
  );
  const key = keyResponse(chain, plan, signal);
  const told = keySentence(key);
  return { ...report, key, sentences: told ? [...report.sentences, told] : report.sentences };
}

/** Measures what came back of a test signal in a recording; it is found and laid on the signal first. */
export function benchRecording(
  file: string,
  recording: Sound,
  pause: Pause = () => {},
  expected: { file: string; form: SignalForm } | null = null,
): Outcome<BenchReport> {
  pause(0, "Looking for the test signal");
  const returned = returnedFrom(file, recording);
  if (!returned.ok) return returned;
  const held = described(returned.value.plan.form);
  if (expected && described(expected.form) !== held)
    return fail(
      `${file} holds another test signal (${held}) than ${expected.file} (${described(expected.form)}).`,
      "Give the signal that was sent, or leave --signal away: a recording tells what it holds.",
    );
  const { plan, back, atFrame, clockPpm, remarks } = returned.value;
  // Where in the signal samples were cut off on the way in.
  const rows = clippedRows(recording);
  const scale = plan.form.sampleRateHz / recording.sampleRateHz;
  const places = rows.map(({ frame }) => (frame * scale - atFrame) / (1 + clockPpm * 1e-6));
  const isClipped = (from: number, to: number) => places.some((place) => place > from - 1 && place < to);
  const needed = [...plan.sweeps, plan.quietSweep, plan.middleSweep, plan.deep, ...plan.series];
  const count = rows.reduce((sum, row) => sum + row.count, 0);
  if (needed.some(({ startFrame, frames }) => isClipped(startFrame, startFrame + frames)))
    return fail(
      `${file} is clipped: ${count} samples stand at full scale in rows, so levels, harmonics and folding cannot be told.`,
      "Record it again with the recorder's input turned down, or export the test signal at a lower level.",
    );
  if (places.some((place) => place > 0 && place < plan.frames))
    remarks.push(
      `The loudest steps came back clipped (${count} samples stand at full scale in rows): they are left out of the law and the times.`,
    );
  return succeed(
    measured(
      {
        plan,
        sent: signalOf(plan.form).channels,
        back,
        takenOffSamples: atFrame,
        clockPpm,
        isClipped,
        delivered: recording,
        remarks,
      },
      pause,
    ),
  );
}
