export { undoPredictor, applyPredictor, interleave, deinterleave } from "./bytes";
export { halfToFloat, floatToHalf } from "./half";
export { renderSpan } from "./slices";
/** First byte that the program itself does not use; the host allocates from here. */
export function heapStart(): usize { return (__heap_base + 15) & ~15; }
