/** A change is worth it where the residual comes down by this factor of energy, half a dB. */
export const MIN_IMPROVEMENT_HALF_DB = 0.89;
/** And further unknowns where it comes down by this one, 3 dB. */
export const MIN_IMPROVEMENT_3_DB = 0.5;
