"use client";

import { useEffect, useState } from "react";
import { kilohertz, signed, withUnit } from "@/core/words/units";
import { LABELS } from "@/ui/labels";
import { deviceOptions, useAudioDevices } from "@/ui/shell/audio-devices";
import { QuickSelect, Slider } from "@/ui/shell/controls";
import { player, setFlipped, setTrim, useMonitor } from "@/ui/shell/monitor";

const LOWEST_TRIM_DB = -30;
const HIGHEST_TRIM_DB = 12;

/** Where it comes out, how loud, and at which rate. */
export function OutputPanel({ sampleRateHz }: { sampleRateHz: number }) {
  const { trimDb, flipped } = useMonitor();
  const deviceRate = useDeviceRate();
  return (
    <section aria-label={LABELS.output} className="grid max-w-60 content-start gap-1.5 text-[13px]">
      <h2 className="font-display font-semibold text-[14px]">{LABELS.output}</h2>
      <Slider
        label={LABELS.outputTrim}
        title="Trim"
        min={LOWEST_TRIM_DB}
        max={HIGHEST_TRIM_DB}
        step={0.5}
        value={trimDb}
        shown={withUnit(signed(trimDb), "dB")}
        onChange={setTrim}
        onReset={() => setTrim(0)}
      />
      <label className="flex items-center gap-2">
        <input
          type="checkbox"
          className="checkbox checkbox-xs"
          checked={flipped}
          onChange={(event) => setFlipped(event.target.checked)}
        />
        {LABELS.invertYonder}
      </label>
      <Devices />
      <p className={`text-[12px] ${deviceRate && deviceRate !== sampleRateHz ? "text-warning" : "text-soft"}`}>
        Playback at {kilohertz(sampleRateHz)}
        {deviceRate && deviceRate !== sampleRateHz
          ? `; the device runs at ${kilohertz(deviceRate)}, so the browser converts.`
          : deviceRate
            ? ", as the device does."
            : "."}
      </p>
    </section>
  );
}

/** The rate the device runs at, as a context has it that is asked for none; null until that is known. */
function useDeviceRate(): number | null {
  const [rate, setRate] = useState<number | null>(null);
  useEffect(() => {
    const probe = new AudioContext();
    setRate(probe.sampleRate);
    void probe.close();
  }, []);
  return rate;
}

/** The outputs the browser tells of; their names only once it may, and none where it cannot choose. */
function Devices() {
  const [chosen, setChosen] = useState("");
  const [problem, setProblem] = useState<string | null>(null);
  const canChoose = typeof AudioContext !== "undefined" && "setSinkId" in AudioContext.prototype;
  const { outputs, ask: askFor } = useAudioDevices(canChoose);
  /** A browser tells its outputs to pages that may use an input. */
  const ask = async () => {
    try {
      setProblem((await askFor("audiooutput")) > 0 ? null : "The browser lists no other output.");
    } catch {
      setProblem("Access denied: using the system output.");
    }
  };
  if (!canChoose) return <p className="text-[12px] text-soft">This browser can only use the system output.</p>;
  const choose = (id: string) => {
    setChosen(id);
    player.setDevice(id).then(
      () => setProblem(null),
      () => {
        setChosen("");
        setProblem("The device could not be opened: using the system output.");
        void player.setDevice("");
      },
    );
  };
  return (
    <>
      <QuickSelect
        label={LABELS.outputDevice}
        title="Device"
        value={chosen}
        onChange={choose}
        options={deviceOptions(outputs, "output")}
      />
      {outputs.length === 0 && (
        <button
          type="button"
          className="btn btn-xs w-fit border-rule"
          title="The browser asks for microphone access to list outputs; nothing is recorded"
          onClick={() => void ask()}
        >
          List other outputs
        </button>
      )}
      {problem && (
        <p role="alert" className="text-[12px] text-error">
          {problem}
        </p>
      )}
    </>
  );
}
