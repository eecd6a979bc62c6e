/** Mean square of a signal from the bins of its averaged spectrum. */
export const bandPowerOf = (bins: Float64Array): number => bins.reduce((sum, power) => sum + power, 0);
