import { log10, pow } from "./exact-math";
/** 20 log10 of an amplitude ratio; −Infinity for 0. */
export const dbFromAmplitude = (amplitude: number): number => 20 * log10(amplitude);

/** 10 log10 of a power ratio; −Infinity for 0. */
export const dbFromPower = (power: number): number => 10 * log10(power);

export const amplitudeFromDb = (db: number): number => pow(10, db / 20);
