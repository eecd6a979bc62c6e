import type { Candidate } from "../archive/rows";

type Kind = Candidate["kind"];

/** Words of the trade in names of candidates, by family; common practice, no published source. */
const WORDS: readonly (readonly [kind: Kind, word: RegExp])[] = [
  ["equalizer", /^(eq|eqs|equali[sz]\w*|shelf|shelves|bell|tilt|filter|hpf|lpf|highpass|lowpass)$/],
  ["compressor", /^(comp|comps|compress\w*|opto|vca|fet|levell?er|expander|gate|deess\w*|dynamics|multiband)$/],
  ["limiter", /^(lim|limit\w*|brickwall)$/],
  ["saturator", /^(sat|saturat\w*|drive|overdrive|tape|tube|valve|clip|clipp\w*|distort\w*|exciter)$/],
  ["converter", /^(convert\w*|adda|src|resampl\w*)$/],
  ["outboard", /^(outboard|hardware|analogu?e?)$/],
  ["format", /^(mp3|aac|opus|ogg|vorbis|kbps|lossy|codec)$/],
  ["chain", /^(chain|master\w*)$/],
];

/** The kind that a candidate's name proposes; several families are a chain, none is "other". */
export function kindOfName(title: string): Kind {
  const words = title
    .toLowerCase()
    .replace(/de-ess/g, "deess")
    .split(/[^\p{L}\p{N}]+/u)
    // "eq2" is an "eq".
    .flatMap((word) => [word, word.replace(/\d+$/, "")]);
  const kinds = WORDS.filter(([, word]) => words.some((w) => word.test(w))).map(([kind]) => kind);
  if (kinds.length === 0) return "other";
  return kinds.length === 1 ? kinds[0] : "chain";
}
