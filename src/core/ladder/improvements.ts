/** What is left has to come down by this factor of energy, half a dB, to be worth a change. */
export const MIN_IMPROVEMENT_HALF_DB = 0.89;
/** And by this one, 3 dB, to be worth further unknowns. */
export const MIN_IMPROVEMENT_3_DB = 0.5;
