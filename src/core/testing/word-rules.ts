// What a program can check of the rules in the glossary: retired words, length, units.

/** Words and phrases that the glossary retires, each with what to say. */
const RETIRED: readonly (readonly [pattern: RegExp, say: string])[] = [
  [/\b(un)?told\b|\btells?\b|\btelling\b/i, "known, shown, measurable"],
  [/\bleft over\b|\bwhat is left\b|\bis left\b|\b\d\S*([\s\u2009]?[a-z%]{1,6})? left\b/i, "residual, remaining"],
  [/\btake[ns]? \w*\s?apart\b|\btaking apart\b|\btaken apart\b/i, "analyse"],
  [/\bnulls? (to|over)\b/i, "null depth"],
  [/\b(all|bring\w*|heard) (at|to) one level\b|\bone loudness\b/i, "level-matched"],
  [/\bin step\b|\b(put|come|came|lie|lies) in time\b|\blaid on\b|\blined up\b/i, "aligned"],
  [/\bflip(ped|s)?\b|\bupside down\b/i, "inverted"],
  [/\b(its|another|the|unsteady|steady) clocks?\b(?! time)|\bclock (fast|slow|error)\b/i, "drift"],
  [/\bedges? (before|over|of)\b|\bfavoured by\b|\blevel apart\b|\btime apart\b/i, "level offset"],
  [/\bthe dry one\b|\buntouched\b/i, "dry"],
  [/\bas (it|they) came\b/i, "as delivered"],
  [/\bsongs?\b/i, "passage"],
  [/\bonsets?\b/i, "transient"],
  [/\bopen eyes\b|\bnames in sight\b/i, "sighted"],
  [/\bguessers?\b/i, "by guessing"],
  [/\bright (answers?|needed)\b|\d right\b|\bnot right\b/i, "correct, pass mark"],
  [/\bmeetings?\b/i, "pairing"],
  [/\bstated beforehand\b|\bjudged together\b/i, "series, declared beforehand"],
  [/\bfold(s|ed|ing)?( back)?\b/i, "aliasing"],
  [/\bbend(s|ed)?\b|\bbent\b/i, "saturation"],
  [/\bby force\b/i, "stress test"],
  [/\bhalf the rate\b/i, "Nyquist"],
  [/\bsqueezed towards\b/i, "cramped towards"],
  [/\bphases? (is |are )?turned\b|\bturns (the )?phase\b|\bturned phases\b/i, "phase rotation, phase shift"],
  [/\bnine (moments )?of ten\b|\beight of ten\b/i, "90 % of the time"],
  [/\bright (over|against) left\b/i, "R/L balance"],
  [/\blets? go\b|\blet it be\b|\bpass over\b/i, "a verb and its object"],
  [/\b(its|the|a) panel\b|\bpanel says\b|\bdial\b/i, "control"],
  [/\bkeyed by\b|\bexternal key\b|\ba key (takes|does)\b/i, "sidechain"],
  [/\blevel law\b|\b(the|a) law\b|^Law$/i, "static curve"],
  [/\bhad most of it\b|\bhas most of it\b/i, "main cause"],
  [/\bgains nothing\b/i, "no improvement"],
  [/\bthirds of an octave\b/i, "third octaves"],
  [/\bover (Yonder|Here|the fundamental|the tone|mid|level|frequency)\b/i, "re, vs"],
  [/\bagainst (dry|Here|Yonder|the target|the panel)\b/i, "re"],
  [/\bwhat (goes|comes) (against|to|back)\b/i, "the thing itself"],
  [/\bon the whole\b/i, "overall, RMS"],
  [/\bunfolds\b|\bbroke down\b|\bbroke off\b|\bis not read\b/i, "decodes to, failed, unsupported"],
  [/\bside by side\b/i, "compare"],
  [/\bpoints of a segment\b/i, "FFT size"],
  [/\bworn\b|\bwearing\b/i, "fit applied"],
  [/\bnought\b/i, "0"],
];

const MOST_WORDS = 20;
const LIST_PARTS = 5;

/** Units and words that a figure with decimals may stand before. */
const UNIT =
  /^(dB(FS|TP|\/oct)?|LUFS|LU|Hz|kHz|ms|s|min|%|°|ppm|cents|smp|samples?|bits?|bytes|MB|octaves?|x|×|:1|d′|points?|or more)(?![A-Za-z])/;

/** Figures with decimals that have no unit: probabilities, Q, and the like stand behind their name; ranges and errors share one unit. */
const NAMED = /(p [=<]|\bQ|W =|±|:1|d′|version|v|×|BS\.|Tech|EBU|\d:)[\s\u2009]*[−+±]?$/;

const isWord = (word: string): boolean => /[\p{L}\d]/u.test(word);

/** Sentences of a text; what stands in brackets is not counted, for it holds the figures. */
const sentencesOf = (text: string): string[] =>
  text
    .replace(/\([^()]*\)/g, "")
    .replace(/\b(e\.g|i\.e|approx|BS|No)\.\s?/g, "")
    .split(/(?<=[.!?;:…])\s+|\n/)
    .filter(isWord);

/** Every fault of a text that the product shows; `hasFigures`: numbers in it are figures, not parts of a template. */
export function wordFaults(text: string, hasFigures = true): string[] {
  const faults: string[] = [];
  for (const [pattern, say] of RETIRED) {
    const found = text.match(pattern);
    if (found) faults.push(`“${found[0]}” (say ${say})`);
  }
  for (const sentence of sentencesOf(text)) {
    const count = sentence.split(/[\s\u2009]+/).filter(isWord).length;
    // A list behind its head is read down, not through.
    if (count > MOST_WORDS && sentence.split(",").length <= LIST_PARTS)
      faults.push(`${count} words: ${sentence.trim()}`);
  }
  if (/(^|[^-\w\s][\s(]|^[\s(]|[a-z] )-\d/.test(text) && !/--\w/.test(text)) faults.push("a hyphen for a minus sign");
  if (/−0(\.0+)?(?![.\d])/.test(text)) faults.push("minus nought");
  if (hasFigures) faults.push(...unitFaults(text));
  return faults;
}

function unitFaults(text: string): string[] {
  const faults: string[] = [];
  for (const { 0: figure, index } of text.matchAll(/[−+±]?\d+\.\d+/g)) {
    const before = text.slice(0, index);
    const behind = text.slice(index + figure.length).replace(/^[\s\u2009]+/, "");
    // "1.2 ±0.1 dB", "51.0 to 93.0 %", "0:07.4"
    const isShared =
      /^(±|to |and |… ?|, ?[−+]?\d)/.test(behind) || /^\d/.test(text[index - 1] ?? "") || /:\d*$/.test(before);
    if (!isShared && !UNIT.test(behind) && !NAMED.test(before)) faults.push(`no unit behind ${figure}`);
  }
  return faults;
}
