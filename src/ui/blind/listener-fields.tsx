"use client";

import { useLiveQuery } from "dexie-react-hooks";
import { Ear } from "lucide-react";
import { useEffect, useState } from "react";
import type { Listener } from "@/core/blind/run";
import { hearingSentence } from "@/core/words/blind-hearing";
import { hearingOf, keepListener, lastListener, NO_LISTENER } from "@/store/listeners";
import { LABELS } from "@/ui/labels";
import { HearingCheck } from "./hearing-check";

/** Listener, as they give it; kept for the next run. */
export function useListener() {
  const [listener, setListener] = useState<Listener>(NO_LISTENER);
  useEffect(() => {
    void lastListener().then(setListener);
  }, []);
  const change = (part: Partial<Listener>) =>
    setListener((now) => {
      const next = { ...now, ...part };
      void keepListener(next);
      return next;
    });
  return { listener, change };
}

const FIELDS = [
  { key: "code", label: LABELS.listenerCode, placeholder: "L1" },
  { key: "equipment", label: "Equipment", placeholder: "closed headphones" },
  { key: "room", label: "Room", placeholder: "studio" },
] as const;

/** Code, equipment and room; no name is asked for. */
export function ListenerFields({ listener, change }: ReturnType<typeof useListener>) {
  const [checking, setChecking] = useState(false);
  const hearing = useLiveQuery(() => hearingOf(listener), [listener.code, listener.equipment]);
  return (
    <fieldset className="grid gap-1.5">
      <legend className="mb-1.5 font-display font-semibold">Listener</legend>
      <div className="flex gap-2">
        {FIELDS.map(({ key, label, placeholder }) => (
          <label key={key} className="grid min-w-0 flex-1 gap-0.5 text-[12px] text-soft">
            {label}
            <input
              className="input input-sm w-full border-rule text-base-content"
              value={listener[key]}
              placeholder={placeholder}
              maxLength={60}
              onChange={(event) => change({ [key]: event.target.value })}
            />
          </label>
        ))}
      </div>
      <div className="flex items-center gap-2 text-[13px] text-soft">
        <button type="button" className="btn btn-xs border-rule bg-base-100" onClick={() => setChecking(true)}>
          <Ear size={13} /> {LABELS.testMyHighestFrequency}
        </button>
        <span>
          {hearing
            ? hearingSentence({ known: true, highestHz: hearing.highestHz, nextHz: hearing.unheardHz })
            : "Not tested on this equipment."}
        </span>
      </div>
      {checking && (
        <HearingCheck code={listener.code} equipment={listener.equipment} onClose={() => setChecking(false)} />
      )}
    </fieldset>
  );
}
