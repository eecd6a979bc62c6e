"use client";

import { useDropzone } from "react-dropzone";
import { useHotkeys } from "react-hotkeys-hook";
import { create } from "zustand";
import { plural } from "@/core/words/units";
import { LABELS } from "@/ui/labels";
import { stopKeyOptions } from "@/ui/shell/shortcuts";
import { ViewTabs } from "@/ui/shell/view-tabs";
import { BelongsQuestion } from "./belongs-question";
import { BenchActions } from "./bench-actions";
import { ChannelSelect } from "./channel-select";
import { FiguresView } from "./figures-view";
import { HarmonicsView } from "./harmonics-view";
import { LevelView } from "./level-view";
import { PrintedPages } from "./printed-pages";
import { ResponseView } from "./response-view";
import { SaveMeasurements } from "./save-measurements";
import { SettingsView } from "./settings-view";
import { SubjectsPanel } from "./subjects-panel";
import { SummaryView } from "./summary-view";
import { type MeasuredSubject, type Subject, useSubjects } from "./use-bench";
import { useRecordings } from "./use-recordings";

const VIEWS = [
  { value: "summary", title: "Summary" },
  { value: "response", title: LABELS.response },
  { value: "harmonics", title: LABELS.harmonics },
  { value: "level", title: LABELS.dynamics },
  { value: "figures", title: LABELS.allFigures },
  { value: "settings", title: LABELS.settingsFinder },
] as const;
type ViewName = (typeof VIEWS)[number]["value"];
const useView = create<{ view: ViewName }>(() => ({ view: "summary" }));

const showNext = () =>
  useView.setState(({ view }) => ({
    view: VIEWS[(VIEWS.findIndex(({ value }) => value === view) + 1) % VIEWS.length].value,
  }));

/** What processors do in principle, whatever the music: measured by a test signal. */
export function BenchStop() {
  const subjects = useSubjects();
  const { take, measure, problems, questions, answer } = useRecordings(subjects);
  const view = useView((state) => state.view);
  useHotkeys("v", () => showNext(), stopKeyOptions("v"));
  const { getRootProps, getInputProps, isDragActive, open } = useDropzone({
    onDrop: (files) => void take(files),
    noClick: true,
    noKeyboard: true,
    noDragEventsBubbling: true,
  });
  const shown = subjects.filter((s) => s.isShown).toSorted((a, b) => placeOf(a) - placeOf(b));
  const measured = shown.filter((s): s is MeasuredSubject => s.report !== null);
  return (
    <section
      {...getRootProps()}
      className="relative grid h-full min-h-0 grid-cols-[minmax(16rem,19rem)_minmax(0,1fr)] gap-x-8 px-5 py-3 max-[1180px]:grid-cols-[15.5rem_minmax(0,1fr)] max-[1180px]:gap-x-5"
    >
      <input {...getInputProps({ "aria-label": "Recordings of the test signal" })} />
      <div className="flex min-h-0 flex-col gap-3 overflow-auto pr-1">
        <div>
          <h1 className="font-semibold text-[22px]">{LABELS.bench}</h1>
          <p className="text-soft" data-testid="bench-sentence">
            {sentenceFor(shown)}
          </p>
        </div>
        <SubjectsPanel subjects={subjects} />
        <div className="grid gap-2">
          <BenchActions subjects={subjects} onAdd={open} onRecording={measure} />
          <p className="text-[12px] text-soft">
            Drop the recording here: the test signal in it is found, aligned and measured.
          </p>
          {questions.map((question) => (
            <BelongsQuestion key={question.measurement.id} question={question} onAnswer={answer} />
          ))}
          {problems.map(({ reason, advice }) => (
            <p key={reason} role="alert" className="text-[12px] text-error">
              {reason} {advice}
            </p>
          ))}
        </div>
      </div>
      <div className="flex min-h-0 min-w-0 flex-col gap-2">
        <div className="flex flex-wrap items-end border-rule border-b">
          <ViewTabs views={VIEWS} shown={view} onShown={(next) => useView.setState({ view: next })} />
          <ChannelSelect measured={measured} />
          <SaveMeasurements measured={measured} />
        </div>
        {view === "settings" ? (
          <SettingsView measured={measured} />
        ) : measured.length === 0 ? (
          <p className="text-[13px] text-soft" role="status">
            {shown.some((s) => s.isWaiting) ? "Sending the test signal through…" : nothingWords(shown, subjects.length)}
          </p>
        ) : (
          <>
            {view === "summary" && <SummaryView measured={measured} />}
            {view === "response" && <ResponseView measured={measured} />}
            {view === "harmonics" && <HarmonicsView measured={measured} />}
            {view === "level" && <LevelView measured={measured} />}
            {view === "figures" && <FiguresView measured={measured} />}
          </>
        )}
      </div>
      <PrintedPages measured={measured} />
      {isDragActive && (
        <div className="absolute inset-0 z-50 grid place-content-center bg-base-200/90 text-center">
          <p className="font-display font-semibold text-2xl">Drop to measure the recording.</p>
          <p className="text-soft">The test signal is found in the recording by its markers.</p>
        </div>
      )}
    </section>
  );
}

/** Here first, then Yonder, then the others as they stand. */
const placeOf = ({ side }: Subject): number => (side === "here" ? 0 : side === "yonder" ? 1 : 2);

const nothingWords = (shown: readonly Subject[], known: number): string =>
  known === 0
    ? "Nothing to measure yet. Add renders at Gather, or record a device with the test signal."
    : shown.length === 0
      ? "Choose a candidate in the pair bar, or tick one on the left."
      : `${shown[0].title} is an outside processor. Export the test signal, send it through, and add the recording.`;

function sentenceFor(shown: readonly Subject[]): string {
  const measured = shown.filter((s): s is MeasuredSubject => s.report !== null);
  const waiting = shown.filter((s) => s.isWaiting);
  if (waiting.length > 0) return `Measuring ${waiting.map((s) => s.title).join(" and ")}…`;
  const outside = shown.filter((s) => !s.report && !s.problem);
  const [problem] = shown.flatMap((s) => (s.problem ? [s.problem] : []));
  if (problem) return problem;
  if (measured.length === 0) return "Measure processors with test signals.";
  const names = measured.map((s) => s.title);
  const told = `${names.length > 2 ? plural(names.length, "processor") : names.join(" and ")} measured with test signals.`;
  return outside.length > 0
    ? `${told} ${outside.map((s) => s.title).join(", ")} made outside: export the test signal for them.`
    : told;
}
