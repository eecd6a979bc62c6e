/** Crossfade at a switch: long enough not to click, too short to blur a comparison. Linear: the two are alike. */
export const CROSSFADE_SECONDS = 0.005;

/** A ramped AudioParam whose value is known at any time, so that a ramp can start from the middle of another. */
export class Fader {
  private from: number;
  private to: number;
  private startTime = 0;
  private endTime = 0;

  constructor(
    private readonly param: AudioParam,
    value: number,
  ) {
    this.from = value;
    this.to = value;
    param.value = value;
  }

  /** Where it is going, or stands. */
  get target(): number {
    return this.to;
  }

  valueAt(time: number): number {
    if (time >= this.endTime) return this.to;
    if (time <= this.startTime) return this.from;
    return this.from + ((this.to - this.from) * (time - this.startTime)) / (this.endTime - this.startTime);
  }

  rampTo(value: number, time: number, seconds: number): void {
    const from = this.valueAt(time);
    this.param.cancelScheduledValues(time);
    this.param.setValueAtTime(from, time);
    if (seconds > 0) this.param.linearRampToValueAtTime(value, time + seconds);
    else this.param.setValueAtTime(value, time);
    Object.assign(this, { from, to: value, startTime: time, endTime: time + seconds });
  }
}
