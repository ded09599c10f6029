export { undoPredictor, applyPredictor, deinterleave, joinBytes, lookUp } from "./bytes";
export { halfToFloat, floatToHalf, splitHalvesToFloat } from "./half";
export { huffmanWorkBytes, undoHuffman } from "./huffman";
export { undoWavelet } from "./wavelet";
export { blockWorkBytes, undoBlocks } from "./dct";
export { layOutCells, mapNear, measureCells, nearBytes, nearWorkBytes } from "./cells";
export { findHighlights, takeHighlights } from "./samples";
export { boxWorkBytes, renderBox } from "./slices";
export { gatherAperture } from "./aperture";
export { gradePixels } from "./grade";
export { matchPoints, scorePoints } from "./match";
export { halvePicture, lightOf, softenPicture } from "./pyramid";
/** First byte that the program itself does not use; the host allocates from here. */
export function heapStart(): usize { return (__heap_base + 15) & ~15; }
