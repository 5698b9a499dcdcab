/** Measures of the waterfall's rows, in pixels. */
export const ROW = 26;
/** Ring, kind and name: what stands left of the chosen columns. */
export const RING = 14;
export const TAG = 44;
export const NAME = 168;
export const GAP = 8;
/** The sheet's own padding, and a little air at the right. */
export const ASIDE = 40 + 6;
