// The inner loops that everything else waits for, in AssemblyScript: 64-bit SIMD, no memory management of their own.
// `npm run kernels` compiles the files of this folder into src/core/kernels/bytes.ts; src/core/kernels/kernels.ts is the only caller.
// Pointers are byte offsets into the module's memory; complex numbers lie as re, im.

export const F32: usize = 4;
export const F64: usize = 8;
export const COMPLEX: usize = 16;

/** Two singles as doubles. */
@inline
export function pair(at: usize, offset: usize): v128 {
  return f64x2.promote_low_f32x4(v128.load64_zero(at + offset));
}

@inline
export function sumOf(v: v128): f64 {
  return f64x2.extract_lane(v, 0) + f64x2.extract_lane(v, 1);
}
