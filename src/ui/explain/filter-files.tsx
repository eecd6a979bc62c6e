"use client";

import { useMemo } from "react";
import { fileNameOf } from "@/core/findings/file-name";
import { writeWav } from "@/core/formats/wav-write";
import type { Found } from "@/core/ladder/found-chain";
import { filterCurve, filterOf, impulseOf } from "@/core/ladder/found-filter";
import { saveCsv } from "@/ui/charts/chart-file";
import { download } from "@/ui/shell/download";
import type { Pair } from "@/ui/shell/workbench";

/** The filter that the ladder found, as files. */
export function FilterFiles({ pair, found }: { pair: Pair; found: Found }) {
  const rateHz = pair.dry.sampleRateHz;
  const filter = useMemo(() => filterOf(found, rateHz), [found, rateHz]);
  if (!filter) return null;
  const name = `${pair.passage.title} filter found`;
  const paths =
    filter.responses[0].length > 1
      ? ["L to L", "R to L", "L to R", "R to R"]
      : filter.responses.length > 1
        ? ["left", "right"]
        : ["all"];
  const button = (title: string, label: string, act: () => void) => (
    <button
      type="button"
      className="btn btn-ghost btn-xs h-6 px-1.5 font-normal"
      aria-label={label}
      title={label}
      onClick={act}
    >
      {title}
    </button>
  );
  return (
    <span className="flex items-center text-soft">
      Fitted EQ:
      {button("WAV", `Save the EQ's impulse response as WAV; time zero is frame ${filter.lead}`, () =>
        download(
          fileNameOf(name, "wav"),
          new Blob([writeWav(impulseOf(filter, rateHz), "32-bit float")], { type: "audio/wav" }),
        ),
      )}
      {button("CSV", "Save the EQ's curve as CSV", () => {
        const { hertz, responses } = filterCurve(filter, rateHz);
        saveCsv(
          {
            columns: ["Hz", ...paths.flatMap((path) => [`${path}, dB`, `${path}, degrees`])],
            rows: hertz.map((hz, i) => [
              Number(hz.toPrecision(6)),
              ...responses.flatMap(({ gainDb, degrees }) => [
                Number(gainDb[i].toFixed(4)),
                Number(degrees[i].toFixed(3)),
              ]),
            ]),
          },
          name,
        );
      })}
    </span>
  );
}
