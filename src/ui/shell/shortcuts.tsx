"use client";

import { createContext, type ReactNode, useContext, useEffect, useMemo, useRef } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { BOOST_STEPS_DB } from "@/playback/monitor-gains";
import { crossOver, setLoop, setMark } from "@/store/comparisons";
import { startTour } from "@/store/tour";
import { openGuide } from "@/ui/guide/guide";
import { LABELS } from "@/ui/labels";
import { hear, player, setBoost, setLoopOn, setMatched, useMonitor } from "./monitor";
import { placesOf } from "./places";
import { useWorkbench, type Workbench } from "./workbench";

type Shortcut = { keys: string; shown: string; does: string; run: (workbench: Workbench) => void };

const hearScene = ({ pair }: Workbench, scene: string) => pair && hear(scene, placesOf(pair));
const seekBy = (seconds: number, { pair }: Workbench) =>
  pair && player.seek(player.positionFrames() + seconds * pair.dry.sampleRateHz);

function stepBoost(direction: 1 | -1): void {
  const index = BOOST_STEPS_DB.findIndex((db) => db >= useMonitor.getState().boostDb);
  setBoost(BOOST_STEPS_DB[Math.max(0, Math.min(BOOST_STEPS_DB.length - 1, index + direction))]);
}

const SHORTEST_LOOP_SECONDS = 0.05;

function setLoopEdge({ pair }: Workbench, edge: "start" | "end"): void {
  if (!pair) return;
  const at = Math.round(player.positionFrames());
  const shortest = SHORTEST_LOOP_SECONDS * pair.dry.sampleRateHz;
  const { startFrame, endFrame } = pair.passage.loop ?? { startFrame: 0, endFrame: pair.dry.frames };
  const loop = edge === "start" ? { startFrame: at, endFrame } : { startFrame, endFrame: at };
  if (loop.endFrame - loop.startFrame >= shortest) void setLoop(pair.passage.id, loop);
}

/** Every key that works at every stop but the booth. */
export const SHORTCUTS: readonly Shortcut[] = [
  { keys: "space", shown: "Space", does: "play, pause", run: () => player.togglePlay() },
  { keys: "left", shown: "←", does: "hear Here", run: (w) => hearScene(w, "here") },
  { keys: "right", shown: "→", does: "hear Yonder", run: (w) => hearScene(w, "yonder") },
  {
    keys: "d",
    shown: "D",
    does: "hear the difference, and back",
    run: (w) => hearScene(w, useMonitor.getState().heard === "difference" ? "here" : "difference"),
  },
  {
    keys: "t",
    shown: "T",
    does: "to and fro: Here, Yonder",
    run: (w) => hearScene(w, useMonitor.getState().heard === "here" ? "yonder" : "here"),
  },
  {
    keys: "x",
    shown: "X",
    does: "cross over: swap Here and Yonder",
    run: (w) => w.pair && void crossOver(w.pair.passage),
  },
  { keys: "m", shown: "M", does: "matched, or original level", run: () => setMatched(!useMonitor.getState().matched) },
  { keys: "l", shown: "L", does: "loop on, off", run: () => setLoopOn(!useMonitor.getState().loopOn) },
  { keys: "i", shown: "I", does: "loop starts at the playhead", run: (w) => setLoopEdge(w, "start") },
  { keys: "o", shown: "O", does: "loop ends at the playhead", run: (w) => setLoopEdge(w, "end") },
  {
    keys: "w",
    shown: "W",
    does: "set the mark at the playhead",
    run: ({ pair }) => pair && void setMark(pair.passage.id, Math.round(player.positionFrames())),
  },
  {
    keys: "home",
    shown: "Home",
    does: "to the mark",
    run: ({ pair }) => pair && player.seek(placesOf(pair).markFrame),
  },
  { keys: "shift+left", shown: "Shift ←", does: "1 s back", run: (w) => seekBy(-1, w) },
  { keys: "shift+right", shown: "Shift →", does: "1 s forward", run: (w) => seekBy(1, w) },
  { keys: "-", shown: "−", does: "less boost for the difference", run: () => stepBoost(-1) },
  { keys: "+", shown: "+", does: "more boost for the difference", run: () => stepBoost(1) },
];

type ListedKey = { shown: string; does: string };

/** Keys of single stops, by the stop they belong to. */
const STOP_KEYS: Record<string, readonly ListedKey[]> = {
  Gather: [
    { shown: "H", does: "make the chosen render Here" },
    { shown: "Y", does: "make the chosen render Yonder" },
    { shown: "Arrows", does: "move in the grid" },
    { shown: "E", does: "settings and notes of the chosen candidate" },
    { shown: "Del", does: "delete the chosen render" },
    { shown: "Ctrl Z", does: "undo a delete" },
    { shown: "A", does: "add files" },
    { shown: "F", does: "connect a folder" },
    { shown: "P", does: "run a processor" },
    { shown: "Q", does: "compare settings" },
  ],
  "Line up": [
    { shown: "V", does: "next view" },
    { shown: "N", does: "next transient; Shift: previous" },
    { shown: "Z", does: "next zoom" },
    { shown: "↑ ↓", does: "choose a render" },
    { shown: ", .", does: "delay by one sample; Shift: a hundredth" },
    { shown: "F", does: "invert polarity" },
    { shown: "S", does: "swap channels" },
    { shown: "K", does: "lock, unlock" },
    { shown: "B", does: "reset to found" },
  ],
  Listen: [
    { shown: "1 … 0", does: "hear that render" },
    { shown: "Shift 1 … 0", does: "make it Yonder and play it" },
    { shown: "N", does: "note this moment" },
  ],
  Bench: [
    { shown: "V", does: "next view" },
    { shown: "E", does: "export a test signal" },
    { shown: "A", does: "add a recording of it" },
    { shown: "R", does: "measure live, through devices" },
    { shown: "G", does: "stress test" },
    { shown: "P", does: "print a page for each" },
  ],
  Findings: [
    { shown: "1 2 3", does: "first choice, would do, not this; again: clear" },
    { shown: "V", does: "next view" },
    { shown: "K P C U", does: "timeline: next kind, passage, candidate, listener" },
    { shown: "S", does: "timeline: next sort column; Shift: reverse" },
    { shown: "A", does: "analyse all renders" },
    { shown: "R", does: "report" },
    { shown: "G", does: "render pack" },
    { shown: "Z", does: "archive" },
  ],
};

/** Shown beside what they do in the booth too, where this list cannot be called up. */
const BOOTH_KEYS: readonly ListedKey[] = [
  { shown: "1 … 0", does: "hear that render; Q and W the 11th and 12th" },
  { shown: "R", does: "hear the reference" },
  { shown: "A B", does: "X is A, X is B" },
  { shown: "S D", does: "the same, different" },
  { shown: "B", does: "mark the render you hear as best" },
  { shown: "↑ ↓", does: "grade the render you hear; Shift: tens" },
  { shown: "Enter", does: "save the answer" },
];

const ListContext = createContext<{ showList: () => void } | null>(null);

export function useShortcutList(): { showList: () => void } {
  const list = useContext(ListContext);
  if (!list) throw new Error("useShortcutList is used outside ShortcutsProvider");
  return list;
}

const SYMBOLS = ["-", "+", "?"];

/**
 * Letters and symbols go by what the key writes, not by where it lies, so that they hold on every keyboard; a symbol may
 * need Shift on one and not on another.
 */
export function keyOptions(keys: string) {
  return { useKey: keys.length === 1, ignoreModifiers: SYMBOLS.includes(keys), splitKey: keys === "+" ? "&" : "+" };
}

/** The same for keys that rest while a dialog is open. */
export const stopKeyOptions = (keys: string) => ({
  ...keyOptions(keys),
  enabled: () => !document.querySelector("dialog[open]"),
});

function Binding({ shortcut }: { shortcut: Shortcut }) {
  const workbench = useWorkbench();
  const isSymbol = SYMBOLS.includes(shortcut.keys);
  useHotkeys(
    shortcut.keys,
    (event) => {
      // A button that holds the focus keeps its own Space.
      if (shortcut.keys === "space" && event.target instanceof HTMLElement && event.target.closest("button")) return;
      // The grid and what is being dragged by keyboard have taken the key already.
      if (event.defaultPrevented) return;
      if (event.target instanceof HTMLElement && event.target.closest("[data-own-keys]")) return;
      if (isSymbol && (event.ctrlKey || event.metaKey || event.altKey)) return;
      event.preventDefault();
      shortcut.run(workbench);
    },
    stopKeyOptions(shortcut.keys),
  );
  return null;
}

export function ShortcutsProvider({ children }: { children: ReactNode }) {
  const { comparison } = useWorkbench();
  const dialog = useRef<HTMLDialogElement>(null);
  const list = useMemo(() => ({ showList: () => dialog.current?.showModal() }), []);
  useHotkeys("?", () => list.showList(), keyOptions("?"));
  useEffect(() => {
    // A button or a box clicked with the pointer lets go of the keys, so that Space plays; one reached by keyboard keeps them.
    const letGo = (event: MouseEvent) => {
      const active = document.activeElement;
      const isBox = active instanceof HTMLInputElement && active.type === "checkbox";
      if (event.detail > 0 && (active instanceof HTMLButtonElement || isBox)) active.blur();
    };
    document.addEventListener("click", letGo);
    return () => document.removeEventListener("click", letGo);
  }, []);
  return (
    <ListContext value={list}>
      {SHORTCUTS.map((shortcut) => (
        <Binding key={shortcut.keys} shortcut={shortcut} />
      ))}
      {children}
      <dialog ref={dialog} className="modal" aria-label={LABELS.shortcuts}>
        <div className="modal-box max-h-[calc(100vh-4rem)] w-[1080px] max-w-[calc(100vw-4rem)] border border-rule shadow-none">
          <h2 className="mb-2 font-semibold text-lg">{LABELS.shortcuts}</h2>
          <div className="grid grid-cols-3 gap-x-8">
            <div className="grid content-start gap-4">
              <KeyGroup title="At every stop" keys={[...SHORTCUTS, { shown: "?", does: "shortcuts and guide" }]} />
              <KeyGroup title="The booth" keys={BOOTH_KEYS} />
            </div>
            <div className="grid content-start gap-4">
              <KeyGroup title={LABELS.gather} keys={STOP_KEYS.Gather} />
              <KeyGroup title="Line up" keys={STOP_KEYS["Line up"]} />
            </div>
            <div className="grid content-start gap-4">
              <KeyGroup title="Listen" keys={STOP_KEYS.Listen} />
              <KeyGroup title={LABELS.bench} keys={STOP_KEYS.Bench} />
              <KeyGroup title="Findings" keys={STOP_KEYS.Findings} />
            </div>
          </div>
          <form method="dialog" className="modal-action">
            <button type="submit" className="btn btn-sm border-rule" onClick={() => void startTour(comparison.id)}>
              {LABELS.tour}
            </button>
            <button type="submit" className="btn btn-sm border-rule" onClick={() => openGuide()}>
              {LABELS.guide}
            </button>
            <button type="submit" className="btn btn-sm">
              {LABELS.close}
            </button>
          </form>
        </div>
        <form method="dialog" className="modal-backdrop">
          <button type="submit">{LABELS.close}</button>
        </form>
      </dialog>
    </ListContext>
  );
}

function KeyGroup({ title, keys }: { title: string; keys: readonly ListedKey[] }) {
  return (
    <section>
      <h3 className="mb-1.5 font-display font-semibold text-[14px]">{title}</h3>
      <dl className="grid grid-cols-[6rem_1fr] gap-x-3 gap-y-1 text-[13px]">
        {keys.map(({ shown, does }) => (
          <div key={does} className="contents">
            <dt>
              <kbd className="kbd kbd-sm">{shown}</kbd>
            </dt>
            <dd>{does}</dd>
          </div>
        ))}
      </dl>
    </section>
  );
}
