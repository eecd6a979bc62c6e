"use client";

import { ArrowDown, ArrowUp, Plus, Trash2 } from "lucide-react";
import { get, type UseFormReturn, useFieldArray, useWatch } from "react-hook-form";
import { FAMILIES, type Family } from "@/core/processors/processor";
import { PROCESSORS, processorOf } from "@/core/processors/registry";
import { BAND_FIELDS, type SettingField, settingFields } from "@/core/processors/setting-fields";
import { LABELS } from "@/ui/labels";

export type ChainFormValues = {
  title: string;
  passageIds: string[];
  keepLatency: boolean;
  keyCandidateId: string;
  chain: { processorKey: string; settings: Record<string, unknown> }[];
};
type Form = UseFormReturn<ChainFormValues>;

const FAMILY_TITLES: Record<Family, string> = {
  equalizer: "Equalizers",
  compressor: "Compressors",
  limiter: "Limiters",
  saturator: "Saturators",
  other: "Others",
};

/** A stage of a processor as it stands by default. */
export const stageOf = (processorKey: string) => {
  const settings: Record<string, unknown> = processorOf(processorKey)?.parameters.parse({}) ?? {};
  // An equalizer without a band does nothing: it begins with one.
  if ("bands" in settings) settings.bands = [defaultBand()];
  return { processorKey, settings };
};

const defaultBand = () => ({ kind: "bell", frequencyHz: 1000, gainDb: 3, q: 0.71, slopeDbPerOctave: 12 });

/** The stages of a chain, one under the other, in the order the sound goes through them. */
export function ChainForm({ form }: { form: Form }) {
  const { fields, append, remove, move } = useFieldArray({ control: form.control, name: "chain" });
  return (
    <div className="grid gap-2">
      {fields.map((field, i) => (
        <Stage
          key={field.id}
          form={form}
          index={i}
          last={i === fields.length - 1}
          onMove={(to) => move(i, to)}
          onRemove={fields.length > 1 ? () => remove(i) : undefined}
        />
      ))}
      {fields.length < 8 && (
        <button
          type="button"
          className="btn btn-xs w-fit border-rule"
          onClick={() => append(stageOf("true-peak-limiter"))}
        >
          <Plus size={12} /> {LABELS.addAProcessorAfterIt}
        </button>
      )}
    </div>
  );
}

type StageProps = {
  form: Form;
  index: number;
  last: boolean;
  onMove: (to: number) => void;
  onRemove: (() => void) | undefined;
};

function Stage({ form, index, last, onMove, onRemove }: StageProps) {
  const processorKey = useWatch({ control: form.control, name: `chain.${index}.processorKey` });
  const processor = processorOf(processorKey);
  const fields = processor ? settingFields(processor.parameters) : [];
  return (
    <section aria-label={`Stage ${index + 1}`} className="rounded-lg border border-rule p-3">
      <div className="flex items-center gap-2">
        <span className="figure text-[12px] text-soft">{index + 1}</span>
        <select
          aria-label={`Processor of stage ${index + 1}`}
          className="select select-sm w-80 border-rule"
          value={processorKey}
          onChange={(event) => form.setValue(`chain.${index}`, stageOf(event.target.value))}
        >
          {FAMILIES.map((family) => (
            <optgroup key={family} label={FAMILY_TITLES[family]}>
              {PROCESSORS.filter((p) => p.family === family).map((p) => (
                <option key={p.key} value={p.key}>
                  {p.name}
                </option>
              ))}
            </optgroup>
          ))}
        </select>
        <span className="ml-auto" />
        <button
          type="button"
          className="btn btn-ghost btn-xs btn-square"
          aria-label={`Stage ${index + 1} earlier`}
          disabled={index === 0}
          onClick={() => onMove(index - 1)}
        >
          <ArrowUp size={13} />
        </button>
        <button
          type="button"
          className="btn btn-ghost btn-xs btn-square"
          aria-label={`Stage ${index + 1} later`}
          disabled={last}
          onClick={() => onMove(index + 1)}
        >
          <ArrowDown size={13} />
        </button>
        <button
          type="button"
          className="btn btn-ghost btn-xs btn-square"
          aria-label={`Remove stage ${index + 1}`}
          disabled={!onRemove}
          onClick={onRemove}
        >
          <Trash2 size={13} />
        </button>
      </div>
      <p className="mt-1 text-[12px] text-soft">{processor?.about}</p>
      {fields.some((f) => f.form === "bands") && <Bands form={form} stage={index} />}
      <div className="mt-2 grid grid-cols-4 gap-x-4 gap-y-2">
        {fields
          .filter((f) => f.form !== "bands")
          .map((field) => (
            <Setting
              key={`${processorKey} ${field.name}`}
              form={form}
              field={field}
              path={`chain.${index}.settings.${field.name}`}
            />
          ))}
      </div>
    </section>
  );
}

function Bands({ form, stage }: { form: Form; stage: number }) {
  const path = `chain.${stage}.settings.bands` as const;
  const { fields, append, remove } = useFieldArray({ control: form.control, name: path as never });
  const bands = useWatch({ control: form.control, name: path as never }) as { kind?: string }[] | undefined;
  const shown = (field: SettingField, kind: string | undefined) =>
    kind?.endsWith("cut") ? !["gainDb", "q"].includes(field.name) : field.name !== "slopeDbPerOctave";
  return (
    <div className="mt-2 grid gap-1.5">
      {fields.map((band, b) => (
        <fieldset key={band.id} className="grid grid-cols-[8rem_1fr_1fr_1fr_2rem] items-end gap-x-3">
          <legend className="sr-only">
            {LABELS.band} {b + 1}
          </legend>
          {BAND_FIELDS.map((field) =>
            shown(field, bands?.[b]?.kind) ? (
              <Setting
                key={field.name}
                form={form}
                field={{ ...field, label: `${field.label}` }}
                prefix={`Band ${b + 1} `}
                path={`${path}.${b}.${field.name}`}
              />
            ) : null,
          )}
          {bands?.[b]?.kind?.endsWith("cut") && <span />}
          <button
            type="button"
            className="btn btn-ghost btn-xs btn-square"
            aria-label={`Remove band ${b + 1}`}
            onClick={() => remove(b)}
          >
            <Trash2 size={12} />
          </button>
        </fieldset>
      ))}
      <button type="button" className="btn btn-xs w-fit border-rule" onClick={() => append(defaultBand() as never)}>
        <Plus size={12} /> Add a band
      </button>
    </div>
  );
}

/** One setting; where it is not accepted its range stands under it. */
function Setting({
  form,
  field,
  path,
  prefix = "",
}: {
  form: Form;
  field: SettingField;
  path: string;
  prefix?: string;
}) {
  const name = path as never;
  const error: unknown = get(form.formState.errors, path);
  const spoken = `${prefix}${field.label}`;
  const range = field.form === "number" ? `${field.least} to ${field.most}` : null;
  return (
    <div className="grid content-start gap-0.5 text-[12px]">
      <span className="truncate text-soft" title={`${field.label}${range ? `, ${range} ${field.unit}` : ""}`}>
        {field.label}
        {field.unit && <span className="figure"> {field.unit}</span>}
      </span>
      {field.form === "number" && (
        <input
          type="number"
          step="any"
          aria-label={spoken}
          aria-invalid={Boolean(error)}
          className={`input input-xs figure w-full ${error ? "border-error" : "border-rule"}`}
          {...form.register(name, { valueAsNumber: true })}
        />
      )}
      {field.form === "choice" && (
        <select
          aria-label={spoken}
          className="select select-xs w-full border-rule"
          {...form.register(name, {
            setValueAs: (value) => (typeof field.options[0] === "number" ? Number(value) : value),
          })}
        >
          {field.options.map((option) => (
            <option key={option}>{option}</option>
          ))}
        </select>
      )}
      {field.form === "toggle" && (
        <input type="checkbox" aria-label={spoken} className="toggle toggle-sm" {...form.register(name)} />
      )}
      {Boolean(error) && (
        <span role="alert" className="text-error">
          {range ?? "Choose one of the list"}
          {range && ` ${field.unit}`}
        </span>
      )}
    </div>
  );
}
