"use client";

import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { NAMING_PARTS, REPORT_PARTS, type ReportPart } from "@/core/findings/report";
import { makeReport, REPORT_FORMS, type ReportForm, reportFile, reportPage } from "@/store/report";
import { LABELS } from "@/ui/labels";
import { download } from "@/ui/shell/download";
import { CloseButton, Modal } from "@/ui/shell/modal";
import { sentenceOf } from "@/ui/shell/queries";
import { useWorkbench } from "@/ui/shell/workbench";
import { noteSavedReport } from "@/ui/tour/tour";

const PART_WORDS: Record<ReportPart, string> = {
  sentences: "One sentence per family",
  verdicts: "Verdicts and evidence",
  contradictions: "Contradictions",
  runs: "Blind runs, with digests",
  pictures: "Pictures",
  figures: "Figures of every render",
  settings: "Settings, and the bench",
  notes: "Notes",
  method: "Method",
};

const FORM_HINTS: Record<ReportForm, string> = {
  HTML: "One HTML page, complete in itself; prints on A4",
  Markdown: "For a wiki or an e-mail",
  CSV: "All figures, one per row",
  JSON: "All figures, for programs",
};

/** A report for a client or a colleague: chosen parts, seen as it will be, saved in the form that is wished. */
export function ReportDialog({ onClose }: { onClose: () => void }) {
  const { comparison } = useWorkbench();
  const [left, setLeft] = useState<ReadonlySet<ReportPart>>(new Set());
  const [isBlind, setBlind] = useState(false);
  const [problem, setProblem] = useState<string | null>(null);
  const parts = REPORT_PARTS.filter((part) => !left.has(part));
  const options = { parts, isBlind };
  const { data: preview, error } = useQuery({
    queryKey: ["report", comparison.id, comparison.updatedAt, parts.join(), isBlind],
    queryFn: async ({ signal }) => reportPage((await makeReport(comparison.id, options, { signal })).report),
    // What it tells of may have changed since it was last looked at.
    staleTime: 0,
    gcTime: 0,
    placeholderData: (before) => before,
  });
  const toggle = (part: ReportPart) =>
    setLeft((now) => new Set(now.has(part) ? [...now].filter((p) => p !== part) : [...now, part]));
  const save = async (form: ReportForm) => {
    setProblem(null);
    try {
      const { name, blob } = await reportFile(comparison.id, form, options);
      download(name, blob);
      noteSavedReport();
    } catch (failure) {
      setProblem(`The report could not be written: ${sentenceOf(failure)}`);
    }
  };
  return (
    <Modal
      title={LABELS.report}
      width={1080}
      onClose={onClose}
      actions={(close) => (
        <>
          {problem && (
            <p role="alert" className="mr-auto text-error">
              {problem}
            </p>
          )}
          <CloseButton onClick={close}>{LABELS.close}</CloseButton>
          {REPORT_FORMS.map((form) => (
            <button
              key={form}
              type="button"
              title={FORM_HINTS[form]}
              className={`btn btn-sm ${form === "HTML" ? "btn-primary" : "border-rule"}`}
              onClick={() => void save(form)}
            >
              Save as {form}
            </button>
          ))}
        </>
      )}
    >
      <div className="grid min-h-0 grid-cols-[250px_1fr] gap-5">
        <div className="grid content-start gap-3 overflow-auto text-[13px]">
          <fieldset className="grid gap-1.5">
            <legend className="mb-1 font-display font-semibold">Contents</legend>
            {REPORT_PARTS.map((part) => {
              const isOut = isBlind && NAMING_PARTS.includes(part);
              return (
                <label key={part} className={`flex items-center gap-2 ${isOut ? "text-soft" : ""}`}>
                  <input
                    type="checkbox"
                    className="checkbox checkbox-xs"
                    checked={!left.has(part) && !isOut}
                    disabled={isOut}
                    onChange={() => toggle(part)}
                  />
                  {PART_WORDS[part]}
                </label>
              );
            })}
          </fieldset>
          <label className="flex items-center gap-2">
            <input type="checkbox" className="toggle toggle-xs" checked={isBlind} onChange={() => setBlind(!isBlind)} />
            {LABELS.keepNamesBlind}
          </label>
          <p className="text-[12px] text-soft">
            {isBlind
              ? "Candidates get letters, the same as in the render pack. Settings, notes and your own words are left out, for they might reveal names."
              : "Renders not analysed yet have no main cause: analyse them beside the matrix first."}
          </p>
        </div>
        <div className="min-h-0 overflow-hidden rounded-lg border border-rule">
          {error ? (
            <p role="alert" className="p-4 text-error">
              {sentenceOf(error)}
            </p>
          ) : preview ? (
            <iframe title="Preview of the report" sandbox="" srcDoc={preview} className="h-[52vh] w-full bg-white" />
          ) : (
            <p className="h-[52vh] p-4 text-soft">Writing it…</p>
          )}
        </div>
      </div>
    </Modal>
  );
}
