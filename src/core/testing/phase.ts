/** Phase in radians of a complex response; for tests, since hosts differ in its last bit. */
export const phaseOf = ({ re, im }: { re: number; im: number }): number => Math.atan2(im, re);
