"use client";

import { useEffect } from "react";
import { z } from "zod";
import { create } from "zustand";
import {
  DELIVERY_TARGETS,
  type DeliveryKey,
  type DeliveryTarget,
  deliveryTargetSchema,
  deliveryVerdict,
  turnDown,
} from "@/core/matching/delivery";
import { deliverySentence } from "@/core/words/level";
import { MISSING } from "@/core/words/missing";
import { decibels, NO_FIGURE, number, signed, withUnit } from "@/core/words/units";
import type { Render } from "@/store/records";
import { readSetting, writeSetting } from "@/store/settings";
import { LABELS } from "@/ui/labels";
import { Figure } from "@/ui/shell/figure";
import { Choice } from "@/ui/shell/transport";
import { WhatIs } from "@/ui/shell/what-is";
import { useWorkbench } from "@/ui/shell/workbench";
import { NumberField } from "./number-field";

const settingSchema = z.object({
  key: z.enum(["streaming", "loud", "broadcast", "own"]),
  own: deliveryTargetSchema,
});
const SETTING = "delivery target";

/** The target chosen, the same in every comparison. */
const useDelivery = create<z.infer<typeof settingSchema>>(() => ({
  key: "streaming",
  own: { integratedLufs: -16, toleranceLu: 0.5, truePeakDbtp: -1 },
}));

function change(part: Partial<z.infer<typeof settingSchema>>): void {
  useDelivery.setState(part);
  void writeSetting(SETTING, useDelivery.getState());
}

const targetOf = ({ key, own }: z.infer<typeof settingSchema>): DeliveryTarget =>
  key === "own" ? own : DELIVERY_TARGETS[key];

const passes = (render: Render, target: DeliveryTarget): boolean => {
  const verdict = deliveryVerdict(render.levels, target);
  return verdict.loudnessPasses === true && verdict.peakPasses === true;
};

/** How many would be taken as they are. */
export function DeliverySentence() {
  const { pair } = useWorkbench();
  const delivery = useDelivery();
  if (!pair) return null;
  const target = targetOf(delivery);
  const count = pair.renders.filter((r) => passes(r, target)).length;
  const most = Math.min(0, ...pair.renders.map((r) => turnDown(r.levels, target)?.gainDb ?? 0));
  return <>{deliverySentence(count, pair.renders.length, most)}</>;
}

/** Each file as it came against a delivery target, and what a platform that turns down would make of it. */
export function DeliveryView() {
  const { pair, titleOf } = useWorkbench();
  const delivery = useDelivery();
  useEffect(() => {
    void readSetting(SETTING, settingSchema).then((kept) => kept && useDelivery.setState(kept));
  }, []);
  if (!pair) return null;
  const target = targetOf(delivery);
  return (
    <>
      <div className="flex items-center gap-4 text-[13px] text-soft">
        <Choice
          label="Delivery target"
          value={delivery.key}
          onChange={(key: DeliveryKey) => change({ key })}
          options={[
            ...Object.entries(DELIVERY_TARGETS).map(([value, { title, integratedLufs }]) => ({
              value: value as DeliveryKey,
              title: `${title} ${number(integratedLufs, 0)}`,
            })),
            { value: "own", title: LABELS.own },
          ]}
        />
        {delivery.key === "own" ? (
          <OwnTarget own={delivery.own} />
        ) : (
          <span className="figure text-[12px]">
            {decibels(target.integratedLufs, "LUFS", 0)} ± {withUnit(number(target.toleranceLu), "LU")}, at most{" "}
            {decibels(target.truePeakDbtp, "dBTP")}
          </span>
        )}
      </div>
      <div className="min-h-0 flex-1 overflow-y-auto">
        <table className="table table-sm rounded-lg border border-rule bg-base-100">
          <thead>
            <tr className="text-soft">
              <th>Render, as delivered</th>
              <th className="text-right">
                <WhatIs figure="integrated">Integrated</WhatIs>
              </th>
              <th className="text-right">
                <WhatIs figure="reTarget">Re target, LU</WhatIs>
              </th>
              <th className="text-right">
                <WhatIs figure="truePeak">True peak</WhatIs>
              </th>
              <th className="text-right">
                <WhatIs figure="abovePeakLimit">Above limit, dB</WhatIs>
              </th>
              <th>Meets it</th>
              <th className="text-right">
                <WhatIs figure="turnedDown">Turned down, dB</WhatIs>
              </th>
              <th className="text-right">
                <WhatIs figure="truePeak">True peak then, dBTP</WhatIs>
              </th>
              <th className="text-right">
                <WhatIs figure="headroomToLift">Headroom to lift, dB</WhatIs>
              </th>
            </tr>
          </thead>
          <tbody>
            {pair.renders.map((render) => (
              <DeliveryRow key={render.id} render={render} title={titleOf(render)} target={target} />
            ))}
          </tbody>
        </table>
      </div>
      <p className="text-[13px] text-soft">
        Whole files, as delivered. A platform that plays at {decibels(target.integratedLufs, "LUFS")} turns down louder
        files. Quieter ones stay, or are lifted until the true peak reaches {decibels(target.truePeakDbtp, "dBTP")}.
      </p>
    </>
  );
}

function OwnTarget({ own }: { own: DeliveryTarget }) {
  const field = (label: string, part: keyof DeliveryTarget, least: number, most: number, unit: string) => (
    <span className="flex items-center gap-1.5">
      {label}
      <NumberField
        label={label}
        value={own[part]}
        decimals={2}
        least={least}
        most={most}
        className="w-16"
        onChange={(value) => change({ own: { ...own, [part]: value } })}
      />
      {unit}
    </span>
  );
  return (
    <span className="flex items-center gap-4">
      {field("Loudness", "integratedLufs", -40, 0, "LUFS")}
      {field("Tolerance", "toleranceLu", 0, 3, "LU")}
      {field("Highest true peak", "truePeakDbtp", -20, 0, "dBTP")}
    </span>
  );
}

function DeliveryRow({ render, title, target }: { render: Render; title: string; target: DeliveryTarget }) {
  const verdict = deliveryVerdict(render.levels, target);
  const played = turnDown(render.levels, target);
  const { integratedLufs, truePeakDbtp } = render.levels;
  const over = verdict.peakPasses === false ? verdict.overDb : null;
  return (
    <tr data-testid={`delivery-${render.fileName}`}>
      <td className="max-w-56 truncate font-medium">{title}</td>
      <td className="figure text-right">
        <Figure text={decibels(integratedLufs, "LUFS")} why={MISSING.noLevel} />
      </td>
      <td className="figure text-right">
        <Figure text={withUnit(signed(verdict.offLu), "LU")} why={MISSING.noLevel} />
      </td>
      <td className="figure text-right">
        <Figure text={decibels(truePeakDbtp, "dBTP")} why={MISSING.noPeak} />
      </td>
      <td className="figure text-right">
        <Figure
          text={over === null ? (verdict.peakPasses ? "within" : NO_FIGURE) : withUnit(signed(over, 2), "dB")}
          why={MISSING.noPeak}
        />
      </td>
      <td>
        <VerdictWords render={render} target={target} />
      </td>
      <td className="figure text-right">
        <Figure
          text={played ? (played.gainDb < 0 ? withUnit(number(-played.gainDb), "dB") : "stays") : NO_FIGURE}
          why={MISSING.noLevel}
        />
      </td>
      <td className="figure text-right">
        <Figure text={decibels(played?.truePeakDbtp, "dBTP")} why={MISSING.noPeak} />
      </td>
      <td className="figure text-right">
        <Figure
          text={played && played.liftDb > 0 ? withUnit(number(played.liftDb), "dB") : NO_FIGURE}
          why={MISSING.noLift}
        />
      </td>
    </tr>
  );
}

function VerdictWords({ render, target }: { render: Render; target: DeliveryTarget }) {
  const { offLu, loudnessPasses, peakPasses } = deliveryVerdict(render.levels, target);
  if (offLu === null) return <span className="text-soft">no loudness: too short or too quiet</span>;
  if (loudnessPasses && peakPasses) return <span className="text-success">passes</span>;
  const words = [!loudnessPasses && (offLu > 0 ? "too loud" : "too quiet"), !peakPasses && "peaks too high"]
    .filter(Boolean)
    .join(", ");
  return <span className="text-warning">{words}</span>;
}
