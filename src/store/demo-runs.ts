import { AS_IT_IS, placementOf, placementSchema } from "@/core/alignment/alignment";
import { shared } from "@/core/audio/region";
import type { Answer } from "@/core/blind/answer";
import { levelsIn } from "@/core/blind/levels";
import { planRightOrWrong, planSchema } from "@/core/blind/plan";
import type { Stimulus } from "@/core/blind/run";
import { runMatchOf } from "@/core/blind/run-match";
import { database } from "./database";
import { levelsOver, measuredMatch } from "./levelling";
import { alignmentOf, coveredPart, wholeOf } from "./line-up";
import { NO_LISTENER } from "./listeners";
import type { Render } from "./records";
import { answerTrial, beginRun, hiddenSeats, type RunDraft } from "./runs";

/** Whose runs these are: nobody's. The demo is made afresh though it has them. */
export const MADE_UP_LISTENER = "made up";

const LISTENED_SECONDS = 6.5;
/** Of the made-up listener: which trials go wrong, and which of the four is picked in each round. */
const WRONG_TRIALS = [4, 10];
const PICKS = [2, 2, 1, 2, 2, 0, 2, 2];

/** What brings a render aligned, as a run keeps it. */
async function placed(render: Render, dry: Render) {
  const alignment = await alignmentOf(render, dry);
  return alignment.found ? placementSchema.parse(placementOf(alignment)) : AS_IT_IS;
}

/** Takes a run to its end, answering from the seats as they are. */
async function taken(draft: RunDraft, trials: number, answer: (seats: readonly number[], trial: number) => Answer) {
  const { id } = await beginRun(draft);
  for (let trial = 0; trial < trials; trial++) {
    await answerTrial(id, trial, answer(await hiddenSeats(id, trial), trial), LISTENED_SECONDS);
  }
}

/** Two finished runs on the demo's first passage, so that Findings has something to show: an ABX run and favourite rounds. */
export async function addDemoRuns(
  comparisonId: string,
  passageTitle: string,
  titles: readonly string[],
): Promise<void> {
  const passage = (await database.passages.where({ comparisonId }).toArray()).find((p) => p.title === passageTitle);
  if (!passage) return;
  const renders = await database.renders.where({ passageId: passage.id }).toArray();
  const dry = renders.find((r) => r.id === passage.dryRenderId);
  const candidates = await database.candidates.where({ comparisonId }).toArray();
  const titled = (title: string) =>
    renders.find((r) => candidates.find((c) => c.id === r.candidateId)?.title === title);
  const chosen = titles.flatMap((title) => titled(title) ?? []);
  if (!dry || chosen.length < titles.length) return;
  const match = await measuredMatch(passage, dry, renders);
  const gainOf = (render: Render) => match.renders.get(render.id)?.gainDb ?? 0;
  const stimulus = async (render: Render, title: string): Promise<Stimulus> => ({
    title,
    role: "candidate",
    renderId: render.id,
    audioHash: render.audioHash,
    fileName: render.fileName,
    placement: await placed(render, dry),
    gainDb: gainOf(render),
  });
  const stimuli = await Promise.all(chosen.map((render, i) => stimulus(render, titles[i])));
  const whole = wholeOf(dry);
  const covered = await Promise.all(chosen.map((render) => coveredPart(render, dry, whole)));
  const region = covered.reduce(shared, whole);
  const levels = levelsIn(await Promise.all(chosen.map((render) => levelsOver(render, dry, region, gainOf(render)))));
  const gains = chosen.map(gainOf);
  /** How the first so many were brought to one level. */
  const matchOf = (count: number) =>
    runMatchOf({ over: "passage", method: match.method }, gains.slice(0, count), levels.slice(0, count));
  const draft: Omit<RunDraft, "plan" | "stimuli" | "match"> = {
    comparisonId,
    passageId: passage.id,
    passageTitle,
    dryRenderId: dry.id,
    reference: null,
    region,
    sampleRateHz: dry.sampleRateHz,
    overruled: [],
    listener: { ...NO_LISTENER, code: MADE_UP_LISTENER },
    above: null,
    packId: null,
  };
  const abx = planRightOrWrong({ kind: "abx", trials: 16, effect: 0.8 });
  await taken({ ...draft, plan: abx, stimuli: stimuli.slice(0, 2), match: matchOf(2) }, abx.trials, (seats, trial) => {
    const isA = seats[1] === 0;
    return { side: isA === !WRONG_TRIALS.includes(trial) ? "A" : "B" };
  });
  const rounds = planSchema.parse({ kind: "favourite", rounds: PICKS.length, ties: false });
  await taken({ ...draft, plan: rounds, stimuli, match: matchOf(stimuli.length) }, PICKS.length, (seats, trial) => ({
    picked: [seats.indexOf(PICKS[trial])],
  }));
}
