import { CROSSFADE_SECONDS } from "./fader";

/** How a switch is made: crossfaded, after a gap of silence, from another place. */
export type Manner = { fadeSeconds: number; gapSeconds: number; toFrame: number | null };
export const PLAIN_MANNER: Manner = { fadeSeconds: CROSSFADE_SECONDS, gapSeconds: 0, toFrame: null };

/** Switching that goes by itself: every so many seconds, or at each pass of the loop; round and round, or once through. */
export type Turns = {
  scenes: readonly string[];
  every: number | "pass";
  repeat: boolean;
  manner: () => Manner;
};

/** What is switched by itself is told to the graph so far ahead that it comes at its sample. */
const AHEAD_SECONDS = 0.25;

/** What taking turns asks of the player. */
type Actions = {
  /** When the loop begins anew next; null where nothing loops. */
  seamAfter: (time: number) => number | null;
  /** Tells the graph what is heard from a time on, over a fade; at a seam, which is silent, over none. */
  foretell: (scene: string, time: number, fadeSeconds: number) => void;
  /** Switches now, to another place or after a gap. */
  jump: (scene: string, manner: Manner) => void;
  arrived: (scene: string, turn: number) => void;
  rest: () => void;
};

/** Switching that goes by itself; asked at every tick whether the next turn is near. */
export class TurnTaker {
  private running: { plan: Turns; next: number; at: number | null } | null = null;
  private timer: ReturnType<typeof setTimeout> | null = null;

  constructor(private readonly act: Actions) {}

  /** The first of the turns is heard already. */
  begin(plan: Turns, now: number): void {
    this.running = { plan, next: 1, at: plan.every === "pass" ? null : now + plan.every };
  }

  end(): void {
    this.running = null;
    if (this.timer) clearTimeout(this.timer);
    this.timer = null;
  }

  /** Playback went elsewhere: the next seam is another one. */
  lookAgain(): void {
    if (this.running?.plan.every === "pass") this.running.at = null;
  }

  take(now: number): void {
    const { running } = this;
    if (!running || this.timer) return;
    const { every, scenes, repeat, manner } = running.plan;
    running.at ??= every === "pass" ? this.act.seamAfter(now) : now + every;
    if (running.at === null || running.at - now > AHEAD_SECONDS) return;
    const { at } = running;
    const wait = 1000 * Math.max(0, at - now);
    if (running.next >= scenes.length && !repeat) {
      this.timer = setTimeout(() => this.act.rest(), wait);
      return;
    }
    const turn = running.next % scenes.length;
    const how = manner();
    const jumps = every !== "pass" && (how.toFrame !== null || how.gapSeconds > 0);
    if (!jumps) this.act.foretell(scenes[turn], at, every === "pass" ? 0 : how.fadeSeconds);
    this.timer = setTimeout(() => {
      this.timer = null;
      if (jumps) this.act.jump(scenes[turn], manner());
      this.act.arrived(scenes[turn], turn);
    }, wait);
    running.next = turn + 1;
    running.at = every === "pass" ? null : at + every;
  }
}
