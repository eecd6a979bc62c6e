"use client";

import { zodResolver } from "@hookform/resolvers/zod";
import { Plus, SlidersHorizontal, Trash2 } from "lucide-react";
import { useState } from "react";
import { type UseFormReturn, useFieldArray, useForm } from "react-hook-form";
import { z } from "zod";
import { CANDIDATE_KINDS, PARAMETER_NAMES, settingLineSchema, UNITS } from "@/core/candidates/candidate";
import { processorOf } from "@/core/processors/registry";
import { changeCandidate } from "@/store/comparisons";
import type { Candidate } from "@/store/records";
import { LABELS } from "@/ui/labels";
import { CloseButton, Modal } from "@/ui/shell/modal";
import { ProcessorDialog } from "./processor-dialog";

const formSchema = z.object({
  title: z.string().trim().min(1, "A candidate needs a name."),
  kind: z.enum(CANDIDATE_KINDS),
  version: z.string(),
  summary: z.string(),
  notes: z.string(),
  settings: z.array(settingLineSchema),
});
type Form = z.infer<typeof formSchema>;

/** What is known of a candidate: kind, version, notes and what its controls say, each line with its reason. */
export function CandidatePanel({ candidate, onClose }: { candidate: Candidate; onClose: () => void }) {
  const { id, title, kind, version, summary, notes, settings, chain } = candidate;
  const [again, setAgain] = useState(false);
  const form = useForm<Form>({
    resolver: zodResolver(formSchema),
    defaultValues: { title, kind, version, summary, notes, settings },
  });
  const { register, handleSubmit, formState } = form;
  if (again && chain) return <ProcessorDialog start={{ title: `${title} changed`, chain }} onClose={onClose} />;
  return (
    <Modal
      title={`${title}: settings and notes`}
      onClose={onClose}
      actions={(close) => (
        <>
          {chain && (
            <button type="button" className="btn btn-sm mr-auto border-rule" onClick={() => setAgain(true)}>
              <SlidersHorizontal size={14} aria-hidden="true" /> {LABELS.runAgainWithChanges}
            </button>
          )}
          <CloseButton onClick={close} />
          <button
            type="button"
            className="btn btn-primary btn-sm"
            onClick={handleSubmit(async (values) => {
              await changeCandidate(id, values);
              close();
            })}
          >
            {LABELS.keep}
          </button>
        </>
      )}
    >
      <div className="grid grid-cols-[1fr_10rem_8rem] gap-3 text-[13px]">
        <label className="grid gap-1">
          <span className="text-soft">Name</span>
          <input className="input input-sm w-full border-rule" {...register("title")} />
          {formState.errors.title && <span className="text-error">{formState.errors.title.message}</span>}
        </label>
        <label className="grid content-start gap-1">
          <span className="text-soft">{LABELS.kind}</span>
          <select className="select select-sm border-rule" {...register("kind")}>
            {CANDIDATE_KINDS.map((k) => (
              <option key={k}>{k}</option>
            ))}
          </select>
        </label>
        <label className="grid content-start gap-1">
          <span className="text-soft">{LABELS.version}</span>
          <input className="input input-sm w-full border-rule" {...register("version")} />
        </label>
      </div>
      <label className="grid gap-1 text-[13px]">
        <span className="text-soft">One line, shown under the name</span>
        <input className="input input-sm w-full border-rule" {...register("summary")} />
      </label>
      <SettingsTable form={form} />
      <label className="grid gap-1 text-[13px]">
        <span className="text-soft">{LABELS.notes}</span>
        <textarea className="textarea textarea-sm min-h-16 w-full border-rule" {...register("notes")} />
      </label>
      {chain && (
        <p className="text-[13px] text-soft">
          Built-in chain:{" "}
          {chain.map((stage) => processorOf(stage.processorKey)?.name ?? stage.processorKey).join(", then ")}. Editing
          this table does not change the sound.
        </p>
      )}
    </Modal>
  );
}

function SettingsTable({ form }: { form: UseFormReturn<Form> }) {
  const { control, register } = form;
  const { fields, append, remove } = useFieldArray({ control, name: "settings" });
  const input = "input input-xs w-full border-rule";
  return (
    <div className="min-h-24 overflow-auto rounded-lg border border-rule">
      <table className="table table-xs">
        <thead className="sticky top-0 bg-base-100">
          <tr className="text-soft">
            <th className="w-56">Control</th>
            <th className="w-28">Value</th>
            <th className="w-24">Unit</th>
            <th>Why it differs</th>
            <th className="w-8" />
          </tr>
        </thead>
        <tbody>
          {fields.map((field, i) => (
            <tr key={field.id}>
              <td>
                <input
                  aria-label={`Parameter ${i + 1}`}
                  list="parameter-names"
                  className={input}
                  {...register(`settings.${i}.parameter`)}
                />
              </td>
              <td>
                <input
                  aria-label={`Value ${i + 1}`}
                  className={`${input} figure`}
                  {...register(`settings.${i}.value`)}
                />
              </td>
              <td>
                <input
                  aria-label={`Unit ${i + 1}`}
                  list="units"
                  className={`${input} figure`}
                  {...register(`settings.${i}.unit`)}
                />
              </td>
              <td>
                <input
                  aria-label={`Reason ${i + 1}`}
                  placeholder="steps 3 and 4.5"
                  className={input}
                  {...register(`settings.${i}.note`)}
                />
              </td>
              <td>
                <button
                  type="button"
                  className="btn btn-ghost btn-xs btn-square"
                  aria-label={`Remove line ${i + 1}`}
                  onClick={() => remove(i)}
                >
                  <Trash2 size={12} />
                </button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <div className="p-1.5">
        <button
          type="button"
          className="btn btn-xs border-rule"
          onClick={() => append({ parameter: "", value: "", unit: "", note: "" })}
        >
          <Plus size={12} /> {LABELS.addALine}
        </button>
      </div>
      <datalist id="parameter-names">
        {PARAMETER_NAMES.map((name) => (
          <option key={name} value={name} />
        ))}
      </datalist>
      <datalist id="units">
        {UNITS.map((unit) => (
          <option key={unit} value={unit} />
        ))}
      </datalist>
    </div>
  );
}
