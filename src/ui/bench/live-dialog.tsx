"use client";

import { Download, Mic, Volume2 } from "lucide-react";
import { useRef, useState } from "react";
import { amplitudeFromDb, dbFromAmplitude } from "@/core/audio/decibels";
import { DEFAULT_FORM, SIGNAL_RATES_HZ, type SignalForm } from "@/core/bench/signal/signal-plan";
import { levelCheckWords } from "@/core/words/bench-live";
import { kilohertz, number, withUnit } from "@/core/words/units";
import { canMeasureLive, LiveError, type LiveRecording, playAndRecord } from "@/playback/live";
import { testSignalFile } from "@/store/measurements";
import { LABELS } from "@/ui/labels";
import { deviceOptions, useAudioDevices } from "@/ui/shell/audio-devices";
import { QuickSelect } from "@/ui/shell/controls";
import { download } from "@/ui/shell/download";
import { CloseButton, Modal } from "@/ui/shell/modal";
import { player } from "@/ui/shell/monitor";
import { JobCancelled } from "@/workers/jobs";

const LEVELS = [-6, -12, -18, -24, -30];
/** Rates that outputs run at. */
const RATES_HZ = SIGNAL_RATES_HZ.filter((rate) => rate >= 44_100 && rate <= 192_000);
const CHECK_HZ = 1000;
const CHECK_SECONDS = 1.5;
const RAMP_SECONDS = 0.1;
/** Recorded on for what comes back late. */
const TAIL_SECONDS = 1.2;

type State =
  | { at: "rest" }
  | { at: "checking" }
  | { at: "checked"; peakDbfs: number }
  | { at: "measuring"; share: number }
  | { at: "reading" };

/** Measures what stands between an output and an input: a short check of the level, then the same signal as from a file. */
export function LiveDialog({
  onClose,
  onRecording,
}: {
  onClose: () => void;
  /** Measures a recording; what was wrong with it, or null. */
  onRecording: (file: File, signal: AbortSignal) => Promise<{ reason: string; advice: string } | null>;
}) {
  const [form, setForm] = useState<SignalForm>({ ...DEFAULT_FORM, sampleRateHz: 48_000 });
  const [inputId, setInput] = useState("");
  const [outputId, setOutput] = useState("");
  const [state, setState] = useState<State>({ at: "rest" });
  const [problem, setProblem] = useState<string | null>(null);
  const [kept, setKept] = useState<File | null>(null);
  const cancel = useRef(new AbortController());
  const isAble = canMeasureLive();
  const { inputs, outputs, ask } = useAudioDevices(isAble);
  /** What was checked at one level, rate and pair of devices says nothing of another. */
  const change = (act: () => void) => {
    act();
    setState({ at: "rest" });
  };
  const isBusy = state.at === "checking" || state.at === "measuring" || state.at === "reading";

  /** Does something with devices; what goes wrong is reported, and what is closed is no failure. */
  const attempt = async (act: () => Promise<void>) => {
    setProblem(null);
    cancel.current = new AbortController();
    player.pause();
    try {
      await act();
    } catch (error) {
      setState({ at: "rest" });
      if (cancel.current.signal.aborted || error instanceof JobCancelled) return;
      setProblem(error instanceof LiveError ? error.message : `Measuring failed: ${String(error)}`);
    }
  };
  const play = (sound: (context: AudioContext) => AudioBuffer | Promise<AudioBuffer>, tailSeconds: number) =>
    playAndRecord({
      inputId,
      outputId,
      sampleRateHz: form.sampleRateHz,
      sound,
      tailSeconds,
      signal: cancel.current.signal,
      onProgress: (share) => setState((now) => (now.at === "measuring" ? { at: "measuring", share } : now)),
    });
  const check = () =>
    attempt(async () => {
      setState({ at: "checking" });
      const { peak } = await play((context) => checkTone(context, form.levelDbfs), 0.3);
      setState({ at: "checked", peakDbfs: dbFromAmplitude(peak) });
      if (inputs.every(({ label }) => !label)) void ask("audioinput").catch(() => {});
    });
  const measure = (close: () => void) =>
    attempt(async () => {
      setState({ at: "measuring", share: 0 });
      const file = await testSignalFile(form, cancel.current.signal);
      const recording = await play(async (context) => context.decodeAudioData(await file.arrayBuffer()), TAIL_SECONDS);
      const named = fileOf(recording);
      setKept(named);
      setState({ at: "reading" });
      const wrong = await onRecording(named, cancel.current.signal);
      setState({ at: "rest" });
      if (wrong) setProblem(`${wrong.reason} ${wrong.advice}`);
      else close();
    });
  return (
    <Modal
      title={LABELS.measureLive}
      width={660}
      onClose={() => {
        cancel.current.abort();
        onClose();
      }}
      actions={(close) => (
        <>
          {kept && (
            <button
              type="button"
              className="btn btn-ghost btn-sm mr-auto font-normal"
              onClick={() => download(kept.name, kept)}
            >
              <Download size={15} /> Save the recording
            </button>
          )}
          <CloseButton onClick={close}>{isBusy ? "Stop" : "Close"}</CloseButton>
          <button
            type="button"
            className="btn btn-sm border-rule"
            disabled={!isAble || isBusy}
            onClick={() => void check()}
          >
            <Volume2 size={15} /> {LABELS.checkTheLevel}
          </button>
          <button
            type="button"
            className="btn btn-neutral btn-sm"
            disabled={!isAble || isBusy || state.at !== "checked"}
            onClick={() => void measure(close)}
          >
            <Mic size={15} /> {LABELS.measure}
          </button>
        </>
      )}
    >
      {isAble ? (
        <>
          <div className="flex flex-wrap items-center gap-x-4 gap-y-2 text-[13px]">
            <QuickSelect
              label={LABELS.output}
              title={LABELS.output}
              value={outputId}
              options={deviceOptions(outputs, "output")}
              isOff={isBusy}
              onChange={(id) => change(() => setOutput(id))}
            />
            <QuickSelect
              label="Input"
              title="input"
              value={inputId}
              options={deviceOptions(inputs, "input")}
              isOff={isBusy}
              onChange={(id) => change(() => setInput(id))}
            />
            <QuickSelect
              label={LABELS.rate}
              title="at"
              value={form.sampleRateHz}
              options={RATES_HZ.map((value) => ({ value, title: kilohertz(value) }))}
              isOff={isBusy}
              onChange={(sampleRateHz) => change(() => setForm({ ...form, sampleRateHz }))}
            />
            <QuickSelect
              label={LABELS.highestPeak}
              title="at"
              value={form.levelDbfs}
              options={LEVELS.map((value) => ({ value, title: withUnit(number(value, 0), "dBFS") }))}
              isOff={isBusy}
              onChange={(levelDbfs) => change(() => setForm({ ...form, levelDbfs }))}
            />
          </div>
          <p className="text-[13px]" role="status" data-testid="live-state">
            {wordsOf(state)}
          </p>
          {state.at === "measuring" && <progress className="progress w-full" value={state.share} max={1} />}
          <p className="text-[12px] text-soft">
            Turn loudspeakers and headphones down first. A 1 kHz tone plays for the check, then sweeps and tones for 30
            s. The browser's input processing is off. Where a device runs at another rate, the browser's conversion is
            measured too.
          </p>
        </>
      ) : (
        <p className="text-[13px]">
          This browser processes its inputs. Export the test signal, record the output elsewhere, and drop the file on
          this stop.
        </p>
      )}
      {problem && (
        <p role="alert" className="text-[12px] text-error">
          {problem}
        </p>
      )}
    </Modal>
  );
}

function wordsOf(state: State): string {
  switch (state.at) {
    case "rest":
      return "Check the level first.";
    case "checking":
      return "Playing a tone and checking its level…";
    case "measuring":
      return "Playing and recording the test signal…";
    case "reading":
      return "Measuring the recording…";
    case "checked":
      return levelCheckWords(state.peakDbfs);
  }
}

/** A tone that begins and ends softly, on both sides. */
function checkTone(context: AudioContext, levelDbfs: number): AudioBuffer {
  const { sampleRate } = context;
  const frames = Math.round(CHECK_SECONDS * sampleRate);
  const buffer = context.createBuffer(2, frames, sampleRate);
  const amplitude = amplitudeFromDb(levelDbfs);
  const ramp = RAMP_SECONDS * sampleRate;
  const tone = Float32Array.from(
    { length: frames },
    (_, i) =>
      amplitude * Math.min(1, i / ramp, (frames - i) / ramp) * Math.sin((2 * Math.PI * CHECK_HZ * i) / sampleRate),
  );
  for (const channel of [0, 1]) buffer.copyToChannel(tone, channel);
  return buffer;
}

const fileOf = ({ wav }: LiveRecording): File =>
  new File([wav], `live-${new Date().toISOString().slice(0, 19).replaceAll(":", "-")}.wav`, { type: "audio/wav" });
