"use client";

import { Download } from "lucide-react";
import { useState } from "react";
import { DEFAULT_FORM, SIGNAL_RATES_HZ, type SignalForm, signalPlan } from "@/core/bench/signal/signal-plan";
import { clock, kilohertz, withUnit } from "@/core/words/units";
import { testSignalFile } from "@/store/measurements";
import { LABELS } from "@/ui/labels";
import { QuickSelect } from "@/ui/shell/controls";
import { download } from "@/ui/shell/download";
import { CloseButton, Modal } from "@/ui/shell/modal";
import { JobCancelled } from "@/workers/jobs";

const LEVELS = [-1, -3, -6, -9, -12, -15, -18, -20, -24, -30];

const nameOf = ({ sampleRateHz, levelDbfs, channelCount }: SignalForm) =>
  `test-signal-${sampleRateHz}-${-levelDbfs}db-${channelCount === 1 ? "mono" : "stereo"}.wav`;

/** Writes a test signal at a rate, level and channel count. */
export function SignalDialog({ onClose }: { onClose: () => void }) {
  const [form, setForm] = useState<SignalForm>(DEFAULT_FORM);
  const [isWriting, setWriting] = useState(false);
  const [problem, setProblem] = useState<string | null>(null);
  const plan = signalPlan(form);
  const write = async (close: () => void) => {
    setWriting(true);
    setProblem(null);
    try {
      download(nameOf(form), await testSignalFile(form));
      close();
    } catch (error) {
      if (!(error instanceof JobCancelled)) setProblem(error instanceof Error ? error.message : String(error));
    } finally {
      setWriting(false);
    }
  };
  return (
    <Modal
      title={LABELS.exportATestSignal}
      width={620}
      onClose={onClose}
      actions={(close) => (
        <>
          <CloseButton onClick={close} />
          <button
            type="button"
            className="btn btn-neutral btn-sm"
            disabled={isWriting}
            onClick={() => void write(close)}
          >
            <Download size={15} /> {isWriting ? "Writing…" : LABELS.saveTheWAVFile}
          </button>
        </>
      )}
    >
      <div className="flex flex-wrap items-center gap-4 text-[13px]">
        <QuickSelect
          label={LABELS.sampleRate}
          title={LABELS.rate}
          value={form.sampleRateHz}
          options={SIGNAL_RATES_HZ.map((value) => ({ value, title: kilohertz(value) }))}
          onChange={(sampleRateHz) => setForm({ ...form, sampleRateHz })}
        />
        <QuickSelect
          label={LABELS.highestPeak}
          title={LABELS.highestPeak}
          value={form.levelDbfs}
          options={LEVELS.map((value) => ({ value, title: withUnit(String(value).replace("-", "−"), "dBFS") }))}
          onChange={(levelDbfs) => setForm({ ...form, levelDbfs })}
        />
        <QuickSelect
          label={LABELS.channels}
          title={LABELS.channels}
          value={form.channelCount}
          options={[
            { value: 1, title: "mono" },
            { value: 2, title: "stereo" },
          ]}
          onChange={(channelCount) => setForm({ ...form, channelCount: channelCount === 1 ? 1 : 2 })}
        />
        <span className="figure text-soft">{clock(plan.frames / form.sampleRateHz)}</span>
      </div>
      <ol className="grid list-decimal gap-1 pl-5 text-[13px] text-soft">
        <li>Play it all through the processor, with nothing else in the chain and no normalising.</li>
        <li>Record from before the start to after the end. Clipped or cut recordings are refused.</li>
        <li>Drop the recording on this stop. Its markers identify the signal.</li>
      </ol>
      <p className="text-[12px] text-soft">
        Nothing exceeds this peak. Leave room for gain: +12 dB of EQ needs −12 dBFS or less. A limiter acts only above
        its ceiling.
      </p>
      {problem && (
        <p role="alert" className="text-[12px] text-error">
          {problem}
        </p>
      )}
    </Modal>
  );
}
