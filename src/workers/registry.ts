import type { z } from "zod";
import { aboveTask } from "./tasks/above";
import { alignTask } from "./tasks/align";
import { aroundTask } from "./tasks/around";
import { bandCrestTask } from "./tasks/band-crest";
import { benchTask } from "./tasks/bench";
import { benchRecordingTask } from "./tasks/bench-recording";
import { benchReferencedTask } from "./tasks/bench-referenced";
import { cellsTask } from "./tasks/cells";
import { copyTask } from "./tasks/copy";
import { courseTask } from "./tasks/course";
import { decodeTask } from "./tasks/decode";
import { excitationTask } from "./tasks/excitation";
import { extremesTask } from "./tasks/extremes";
import { ferryTask } from "./tasks/ferry";
import { findDynamicsTask } from "./tasks/find-dynamics";
import { findSettingsTask } from "./tasks/find-settings";
import { fitTask } from "./tasks/fit";
import { heardTask } from "./tasks/heard";
import { ladderTask } from "./tasks/ladder";
import { levelsTask } from "./tasks/levels";
import { overviewTask } from "./tasks/overview";
import { pairTask } from "./tasks/pair";
import { planeTask } from "./tasks/plane";
import { pooledTask } from "./tasks/pooled";
import { processTask } from "./tasks/process";
import { readTask } from "./tasks/read";
import { residualsTask } from "./tasks/residuals";
import { rotationTask } from "./tasks/rotation";
import { scoreTask } from "./tasks/score";
import { shapeTask } from "./tasks/shape";
import { signatureTask } from "./tasks/signature";
import { sortTask } from "./tasks/sort";
import { spectraTask } from "./tasks/spectra";
import { spectrogramTask } from "./tasks/spectrogram";
import { stressMaterialTask } from "./tasks/stress-material";
import { testSignalTask } from "./tasks/test-signal";
import { transientShapesTask } from "./tasks/transient-shapes";
import { transientsTask } from "./tasks/transients";
import { writeTask } from "./tasks/write";

/** Everything a worker can do. A new task is a file in `tasks` and a line here. */
export const TASKS = {
  above: aboveTask,
  align: alignTask,
  around: aroundTask,
  bandCrest: bandCrestTask,
  bench: benchTask,
  benchRecording: benchRecordingTask,
  benchReferenced: benchReferencedTask,
  cells: cellsTask,
  copy: copyTask,
  course: courseTask,
  decode: decodeTask,
  excitation: excitationTask,
  extremes: extremesTask,
  ferry: ferryTask,
  findDynamics: findDynamicsTask,
  findSettings: findSettingsTask,
  fit: fitTask,
  forceMaterial: stressMaterialTask,
  ladder: ladderTask,
  levels: levelsTask,
  onsetShapes: transientShapesTask,
  onsets: transientsTask,
  overMask: heardTask,
  overview: overviewTask,
  pair: pairTask,
  plane: planeTask,
  pooled: pooledTask,
  process: processTask,
  read: readTask,
  residuals: residualsTask,
  rotation: rotationTask,
  score: scoreTask,
  shape: shapeTask,
  signature: signatureTask,
  sort: sortTask,
  spectra: spectraTask,
  spectrogram: spectrogramTask,
  testSignal: testSignalTask,
  write: writeTask,
};

export type TaskName = keyof typeof TASKS;
export type RequestOf<Name extends TaskName> = z.input<(typeof TASKS)[Name]["request"]>;
export type AnswerOf<Name extends TaskName> = z.infer<(typeof TASKS)[Name]["answer"]>;
