import { matched } from "../audio/analogue";
import { throughBiquads } from "../audio/biquad";
import { defineEqualizer } from "./equalizer-bands";

export const matchedEqualizer = defineEqualizer({
  key: "matched-equalizer",
  name: "Equalizer, matched to the analogue curve",
  about: "The same bells, shelves and cuts with the analogue curve up to Nyquist.",
  realise: (sections, rate) => {
    const filters = sections.map((s) => matched(s, rate));
    return (sound) => throughBiquads(sound, filters);
  },
});
