import { z } from "zod";

/** What sort of thing a candidate is. */
export const CANDIDATE_KINDS = [
  "equalizer",
  "compressor",
  "limiter",
  "saturator",
  "chain",
  "converter",
  "outboard",
  "format",
  "other",
] as const;

/** One line of a candidate's settings as its controls say them; nothing here is measured. */
export const settingLineSchema = z.object({
  parameter: z.string(),
  value: z.string(),
  unit: z.string(),
  /** Why it is not what it should be: "steps 3 and 4.5; no 4 kHz". */
  note: z.string(),
});
export type SettingLine = z.infer<typeof settingLineSchema>;

/** Names offered where a line is written; any other may be typed. */
export const PARAMETER_NAMES = [
  "Frequency",
  "Gain",
  "Q",
  "Slope",
  "Threshold",
  "Ratio",
  "Knee",
  "Attack",
  "Release",
  "Look-ahead",
  "Make-up",
  "Mix",
  "Drive",
  "Bias",
  "Ceiling",
  "Input gain",
  "Output",
  "Oversampling",
  "Phase mode",
  "Detector",
  "Word length",
  "Rate",
  "Dither",
] as const;

export const UNITS = ["dB", "Hz", "kHz", "ms", "s", "dBFS", "dBTP", ":1", "×", "%", "°", "dB/oct", "bit"] as const;
