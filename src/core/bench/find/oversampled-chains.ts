import { type Chain, chainSchema } from "../../processors/chain";
import { processorOf } from "../../processors/registry";
import { settingFields } from "../../processors/setting-fields";

const FIELD = "oversampling";

/** The same chain at each oversampling that its last processor with such a setting has; an empty list where none has one. */
export function oversampledChains(chain: Chain): { factor: number; isOwn: boolean; chain: Chain }[] {
  const at = chain.findLastIndex(({ processorKey }) => optionsOf(processorKey).length > 0);
  if (at < 0) return [];
  const { processorKey, settings } = chain[at];
  const own = processorOf(processorKey)?.parameters.parse(settings)[FIELD];
  return optionsOf(processorKey).map((factor) => ({
    factor,
    isOwn: factor === own,
    chain: chainSchema.parse(
      chain.map((stage, i) => (i === at ? { ...stage, settings: { ...settings, [FIELD]: factor } } : stage)),
    ),
  }));
}

function optionsOf(processorKey: string): number[] {
  const processor = processorOf(processorKey);
  const field = processor && settingFields(processor.parameters).find(({ name }) => name === FIELD);
  return field?.form === "choice" ? field.options.map(Number) : [];
}
