import { bilinear } from "../audio/analogue";
import { throughBiquads } from "../audio/biquad";
import { defineEqualizer } from "./equalizer-bands";

export const bilinearEqualizer = defineEqualizer({
  key: "bilinear-equalizer",
  name: "Equalizer, bilinear",
  about: "Bells, shelves and cuts by the bilinear transform: curves are cramped towards Nyquist.",
  realise: (sections, rate) => {
    const filters = sections.map((s) => bilinear(s, rate));
    return (sound) => throughBiquads(sound, filters);
  },
});
