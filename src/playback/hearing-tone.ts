/** Peak of a tone in dBFS: far under music at the same setting of the volume, so that nothing is loud whatever is heard of it. */
const TONE_DBFS = -26;
const PULSES = 3;
const PULSE_SECONDS = 0.35;
const GAP_SECONDS = 0.2;
/** Slow enough that setting in is not heard as a click. */
const RAMP_SECONDS = 0.05;

/** Length of one presentation, tone or silence alike. */
export const PRESENTATION_SECONDS = PULSES * (PULSE_SECONDS + GAP_SECONDS);

/** Quiet pulses of a high tone, or as much silence, for finding out how high someone hears. */
export class HearingTone {
  private readonly context = new AudioContext();

  get sampleRateHz(): number {
    return this.context.sampleRate;
  }

  /** Plays one presentation and resolves at its end. */
  async present(hertz: number | null): Promise<void> {
    const { context } = this;
    await context.resume();
    const oscillator = context.createOscillator();
    const gain = context.createGain();
    gain.gain.value = 0;
    oscillator.frequency.value = hertz ?? 1000;
    oscillator.connect(gain).connect(context.destination);
    const begin = context.currentTime + RAMP_SECONDS;
    const level = hertz === null ? 0 : 10 ** (TONE_DBFS / 20);
    for (let pulse = 0; pulse < PULSES; pulse++) {
      const start = begin + pulse * (PULSE_SECONDS + GAP_SECONDS);
      gain.gain.setValueAtTime(0, start);
      gain.gain.linearRampToValueAtTime(level, start + RAMP_SECONDS);
      gain.gain.setValueAtTime(level, start + PULSE_SECONDS - RAMP_SECONDS);
      gain.gain.linearRampToValueAtTime(0, start + PULSE_SECONDS);
    }
    oscillator.start(begin);
    oscillator.stop(begin + PRESENTATION_SECONDS);
    await new Promise((resolve) => {
      oscillator.onended = resolve;
    });
    gain.disconnect();
  }

  close(): void {
    void this.context.close();
  }
}
