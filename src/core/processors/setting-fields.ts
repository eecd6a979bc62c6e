import { z } from "zod";
import { bandSchema } from "./equalizer-bands";

/** What a form needs to know of one setting, read off its Zod schema. */
export type SettingField = { name: string; label: string; unit: string } & (
  | { form: "number"; least: number; most: number; whole: boolean }
  | { form: "choice"; options: readonly (string | number)[] }
  | { form: "toggle" }
  | { form: "bands" }
);

const propertySchema = z.object({
  label: z.string(),
  unit: z.string(),
  type: z.string().optional(),
  minimum: z.number().optional(),
  maximum: z.number().optional(),
  enum: z.array(z.union([z.string(), z.number()])).optional(),
});

/** The fields of a processor's parameters, in their order. Anything a form could not show throws, so a test finds it. */
export function settingFields(parameters: z.ZodObject): SettingField[] {
  const { properties = {} } = z.toJSONSchema(parameters, { io: "input" });
  return Object.entries(properties).map(([name, raw]): SettingField => {
    const { label, unit, type, minimum, maximum, enum: options } = propertySchema.parse(raw);
    const head = { name, label, unit };
    if (options) return { ...head, form: "choice", options };
    if (type === "boolean") return { ...head, form: "toggle" };
    if (type === "array") return { ...head, form: "bands" };
    if ((type === "number" || type === "integer") && minimum !== undefined && maximum !== undefined) {
      return { ...head, form: "number", least: minimum, most: maximum, whole: type === "integer" };
    }
    throw new TypeError(`no form field for ${name} (${type})`);
  });
}

/** The fields of one equalizer band. */
export const BAND_FIELDS = settingFields(bandSchema);

/** A number among fields, with its bounds. Throws RangeError where there is none of that name. */
export function numberField(fields: readonly SettingField[], name: string): SettingField & { form: "number" } {
  const field = fields.find((f) => f.name === name);
  if (field?.form !== "number") throw new RangeError(`${name} is no number`);
  return field;
}
