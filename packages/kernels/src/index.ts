export type {
  AperturePicture,
  AperturePlaces,
  ApertureSession,
  Box,
  ChunkMemory,
  ChunkRows,
  CosineBlocks,
  GradeTables,
  Kernels,
  LightTable,
  MatchPicture,
  MatchPoints,
  MatchSession,
  PathGrid,
  SliceLayer,
  SliceParts,
  SliceRequest,
  SliceSession,
  WaveletGrid,
} from './kernels';
export { instantiateKernels } from './wasm-kernels';
export { MATCH_TAPS, SCORE_NUMBERS, NODE_FLOATS, NODE_PX } from './kernels';
